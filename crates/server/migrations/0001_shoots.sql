-- Times are milliseconds since 1970 in UTC; JSON columns hold the types that the API speaks.
CREATE TABLE shoots (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    plan TEXT NOT NULL,
    reference_id INTEGER,
    created INTEGER NOT NULL,
    touched INTEGER NOT NULL,
    deleted INTEGER
);

CREATE TABLE frames (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    shoot_id INTEGER NOT NULL REFERENCES shoots (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    path TEXT NOT NULL,
    linked INTEGER NOT NULL,
    blake3 TEXT NOT NULL,
    bytes INTEGER NOT NULL,
    role TEXT NOT NULL,
    facts TEXT,
    problem TEXT,
    left_out INTEGER NOT NULL DEFAULT 0,
    added INTEGER NOT NULL,
    UNIQUE (shoot_id, blake3)
);

CREATE TABLE jobs (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    shoot_id INTEGER NOT NULL REFERENCES shoots (id) ON DELETE CASCADE,
    state TEXT NOT NULL,
    plan TEXT NOT NULL,
    frame_ids TEXT NOT NULL,
    reference_id INTEGER,
    stage TEXT,
    done INTEGER NOT NULL DEFAULT 0,
    total INTEGER NOT NULL DEFAULT 0,
    problem TEXT,
    created INTEGER NOT NULL,
    started INTEGER,
    finished INTEGER
);
CREATE INDEX jobs_by_shoot ON jobs (shoot_id);

CREATE TABLE results (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    shoot_id INTEGER NOT NULL REFERENCES shoots (id) ON DELETE CASCADE,
    job_id INTEGER NOT NULL,
    key TEXT NOT NULL,
    reference_id INTEGER NOT NULL,
    record TEXT NOT NULL,
    report TEXT NOT NULL,
    profile BLOB NOT NULL,
    made INTEGER NOT NULL
);
CREATE INDEX results_by_shoot ON results (shoot_id);

CREATE TABLE probes (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    shoot_id INTEGER NOT NULL REFERENCES shoots (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    x INTEGER NOT NULL,
    y INTEGER NOT NULL,
    size INTEGER NOT NULL
);

CREATE TABLE exports (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    result_id INTEGER NOT NULL REFERENCES results (id) ON DELETE CASCADE,
    file TEXT NOT NULL,
    plan_file TEXT NOT NULL,
    bytes INTEGER NOT NULL,
    made INTEGER NOT NULL
);
