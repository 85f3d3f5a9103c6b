-- What a person changed in a shoot, in order, so that it can be undone and made again: from before to after,
-- in JSON. Changes of one gesture, such as dragging a slider, are one.
CREATE TABLE changes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    shoot_id INTEGER NOT NULL REFERENCES shoots (id) ON DELETE CASCADE,
    title TEXT NOT NULL,
    gesture TEXT,
    difference TEXT NOT NULL,
    undone INTEGER NOT NULL DEFAULT 0,
    made INTEGER NOT NULL
);
CREATE INDEX changes_by_shoot ON changes (shoot_id, undone, id);
