-- Folders from which frames are added as they are written.
CREATE TABLE watched (
    shoot_id INTEGER PRIMARY KEY REFERENCES shoots (id) ON DELETE CASCADE,
    path TEXT NOT NULL,
    role TEXT NOT NULL
);
