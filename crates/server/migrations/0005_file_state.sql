-- When a frame's file was written last, in nanoseconds after the beginning of 1970: what tells that
-- it is still the one that was added.
ALTER TABLE frames ADD COLUMN modified_ns INTEGER;
