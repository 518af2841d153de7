-- Derived: what each fact is by and about, so that the record is filtered without reading every fact. Made from the facts
-- alone; what is missing is added when the store is opened.
CREATE TABLE entries (
    seq       INTEGER PRIMARY KEY,
    at        INTEGER NOT NULL,
    kind      TEXT NOT NULL,
    by        INTEGER,
    subject   INTEGER,
    elevation INTEGER
) STRICT;
CREATE INDEX entries_at ON entries (at);
CREATE INDEX entries_kind ON entries (kind, seq);
CREATE INDEX entries_by ON entries (by, seq) WHERE by IS NOT NULL;
CREATE INDEX entries_subject ON entries (subject, seq) WHERE subject IS NOT NULL;
CREATE INDEX entries_elevation ON entries (elevation, seq) WHERE elevation IS NOT NULL;
