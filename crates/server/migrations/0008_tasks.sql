-- Work other than runs is a job too: finding a skyline or the order of a sweep, saving a result.
ALTER TABLE jobs ADD COLUMN task TEXT NOT NULL DEFAULT 'run';
-- The result that a run made, or that is saved.
ALTER TABLE jobs ADD COLUMN result_id INTEGER;
-- What is to be saved, in JSON.
ALTER TABLE jobs ADD COLUMN wish TEXT;
UPDATE jobs SET result_id = (SELECT max(id) FROM results WHERE results.job_id = jobs.id);
