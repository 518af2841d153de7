-- How somebody proved themselves last. What was proven before this was known counts as the least that it can have been.
ALTER TABLE sign_ins ADD COLUMN proven_by TEXT;
UPDATE sign_ins SET proven_by = 'totp-code' WHERE proven_at IS NOT NULL;
