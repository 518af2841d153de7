-- What is of no use after a while, in a file of its own: none of it is in a backup, and no write of it waits for the ledger's.
CREATE TABLE sign_ins (
    id        INTEGER PRIMARY KEY,
    token     BLOB NOT NULL UNIQUE,    -- SHA-256 of the token
    person    INTEGER NOT NULL,
    kind      TEXT NOT NULL,           -- token, browser or device
    address   TEXT NOT NULL,
    began_at  INTEGER NOT NULL,        -- microseconds
    used_at   INTEGER NOT NULL,
    proven_at INTEGER,
    under     BLOB NOT NULL            -- names the credentials that it rests on
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
    under  BLOB NOT NULL,
    step   INTEGER NOT NULL            -- the last one used
) STRICT;
CREATE TABLE idempotency (
    person INTEGER NOT NULL,
    key    TEXT NOT NULL,
    body   BLOB NOT NULL,              -- SHA-256 of method, path and body
    status INTEGER,                    -- none while it is being carried out
    reply  TEXT,
    at     INTEGER NOT NULL,
    PRIMARY KEY (person, key)
) STRICT, WITHOUT ROWID;
-- Programs that wait to be let in (RFC 8628).
CREATE TABLE device_asks (
    device    BLOB PRIMARY KEY,        -- SHA-256 of the device code
    code      TEXT NOT NULL UNIQUE,    -- what the person types
    program   TEXT NOT NULL,
    host      TEXT NOT NULL,
    address   TEXT NOT NULL,
    asked_at  INTEGER NOT NULL,
    expires   INTEGER NOT NULL,
    polled_at INTEGER NOT NULL,
    person    INTEGER,                 -- who let it in
    under     BLOB,                    -- and the credentials that their sign-in rested on
    refused   INTEGER NOT NULL DEFAULT 0
) STRICT, WITHOUT ROWID;
-- Requests that a device's sign-in drafted, for its person to confirm in the console.
CREATE TABLE drafts (
    id        INTEGER PRIMARY KEY,
    person    INTEGER NOT NULL,
    method    TEXT NOT NULL,
    path      TEXT NOT NULL,
    body      TEXT NOT NULL,
    drawn_at  INTEGER NOT NULL,
    status    INTEGER,                 -- of the reply, once confirmed; 0 where it was dropped
    reply     TEXT,
    looked_at TEXT                     -- a digest in hex, or `*` where nothing was there
) STRICT;
CREATE INDEX drafts_person ON drafts (person);
