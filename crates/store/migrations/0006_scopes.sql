-- Derived: the scope that a fact is about, so that who sees a part of the estate finds what is about it. Every fact is entered
-- anew when the store is opened.
ALTER TABLE entries ADD COLUMN scope INTEGER;
CREATE INDEX entries_scope ON entries (scope, seq) WHERE scope IS NOT NULL;
DELETE FROM entries;
