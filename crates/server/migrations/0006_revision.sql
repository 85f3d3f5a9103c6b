-- Counts the changes of a shoot: a page that changes what it saw says which one it saw.
ALTER TABLE shoots ADD COLUMN revision INTEGER NOT NULL DEFAULT 0;
