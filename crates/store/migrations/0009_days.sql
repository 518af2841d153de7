-- Pages of days ask when each was asked and when it was in force, together: one index for both, which leaves out what ended
-- before. Whatever was asked since a time ended since then, too.
DROP INDEX IF EXISTS past_elevations_asked;
DROP INDEX IF EXISTS past_elevations_ended;
CREATE INDEX past_elevations_ended ON past_elevations (ended, began, opened, asked_at, asker, scope);
