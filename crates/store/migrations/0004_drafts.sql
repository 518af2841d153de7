-- What a program looked at before it drafted a change in place: a digest in hex, or `*` where nothing was there.
ALTER TABLE drafts ADD COLUMN looked_at TEXT;
