-- Private: texts that no row of the present names, apart from those that one names, so that a start looks into a small table
-- however long the history is. Which of them the present names is told from its rows when the store is opened, and these are
-- then put into the first.
ALTER TABLE texts RENAME TO past_texts;
CREATE TABLE texts (
    digest BLOB PRIMARY KEY,
    salt   BLOB NOT NULL,
    text   TEXT NOT NULL
) STRICT, WITHOUT ROWID;
