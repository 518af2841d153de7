-- Derived: what elevations demanded that are over, apart from `rows` as they are. From this schema on, `PRAGMA user_version` is
-- the version of the form that rows are kept in; rows of an earlier one are put into it when the store is opened.
CREATE TABLE past_demands (
    elevation INTEGER PRIMARY KEY,
    body      TEXT NOT NULL
) STRICT;
