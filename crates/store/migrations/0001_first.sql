-- Derived: from facts alone. `rebuild --check` replays the facts and compares.
CREATE TABLE facts (
    seq  INTEGER PRIMARY KEY,          -- from 0
    body BLOB NOT NULL,                -- exact bytes, as hashed
    leaf BLOB NOT NULL                 -- RFC 9162 leaf hash
) STRICT;
CREATE TABLE blocks (
    number INTEGER PRIMARY KEY,        -- of 256 facts each
    root   BLOB NOT NULL
) STRICT;
CREATE TABLE rows (
    kind TEXT NOT NULL,
    id   TEXT NOT NULL,
    body TEXT NOT NULL,
    PRIMARY KEY (kind, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE checkpoints (
    size INTEGER PRIMARY KEY,
    root BLOB NOT NULL,
    note TEXT NOT NULL
) STRICT;

-- Private: what may be forgotten.
CREATE TABLE texts (
    digest BLOB PRIMARY KEY,
    salt   BLOB NOT NULL,
    text   TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE TABLE credentials (
    person        INTEGER PRIMARY KEY,
    password_hash TEXT NOT NULL
) STRICT;
CREATE TABLE sealed (
    owner  TEXT NOT NULL,
    name   TEXT NOT NULL,
    key_id TEXT NOT NULL,
    body   BLOB NOT NULL,
    PRIMARY KEY (owner, name)
) STRICT, WITHOUT ROWID;

-- Passing: of no use after a while.
CREATE TABLE sign_ins (
    id        INTEGER PRIMARY KEY,
    token     BLOB NOT NULL UNIQUE,    -- SHA-256 of the token
    person    INTEGER NOT NULL,
    address   TEXT NOT NULL,
    began_at  INTEGER NOT NULL,        -- microseconds
    used_at   INTEGER NOT NULL,
    proven_at INTEGER
) STRICT;
CREATE INDEX sign_ins_person ON sign_ins (person);
CREATE TABLE throttles (
    account  TEXT NOT NULL,
    address  TEXT NOT NULL,
    failures INTEGER NOT NULL,
    until    INTEGER NOT NULL,
    PRIMARY KEY (account, address)
) STRICT, WITHOUT ROWID;
CREATE TABLE totp_steps (
    person INTEGER PRIMARY KEY,
    step   INTEGER NOT NULL
) STRICT;
CREATE TABLE enrolments (
    secret  BLOB PRIMARY KEY,          -- SHA-256 of the secret
    person  INTEGER NOT NULL,
    expires INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE TABLE idempotency (
    person INTEGER NOT NULL,
    key    TEXT NOT NULL,
    body   BLOB NOT NULL,              -- SHA-256 of method, path and body
    status INTEGER,                    -- none while it is being carried out
    reply  TEXT,
    at     INTEGER NOT NULL,
    PRIMARY KEY (person, key)
) STRICT, WITHOUT ROWID;
