-- Sets: frames of a shoot taken alike for one purpose, and which one is stacked.
CREATE TABLE frame_sets (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    shoot_id INTEGER NOT NULL REFERENCES shoots (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    role TEXT NOT NULL
);
ALTER TABLE frames ADD COLUMN set_id INTEGER REFERENCES frame_sets (id);
ALTER TABLE shoots ADD COLUMN stacked_set INTEGER REFERENCES frame_sets (id);
