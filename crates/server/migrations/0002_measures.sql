-- What a frame alone shows, and whether the person wants it in spite of what speaks against it.
ALTER TABLE frames ADD COLUMN measures TEXT;
ALTER TABLE frames ADD COLUMN kept INTEGER NOT NULL DEFAULT 0;
