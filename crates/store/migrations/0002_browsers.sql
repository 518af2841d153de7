-- Passing: which kind of presence a sign-in is.
ALTER TABLE sign_ins ADD COLUMN kind TEXT NOT NULL DEFAULT 'token';   -- token, browser or device

-- Private: a person's passkeys. Public keys and counters, so not sealed.
CREATE TABLE passkeys (
    credential BLOB PRIMARY KEY,
    person     INTEGER NOT NULL,
    name       TEXT NOT NULL,
    body       TEXT NOT NULL,
    added_at   INTEGER NOT NULL,
    used_at    INTEGER
) STRICT, WITHOUT ROWID;
CREATE INDEX passkeys_person ON passkeys (person);

-- Passing: programs that wait to be let in (RFC 8628).
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
    refused   INTEGER NOT NULL DEFAULT 0
) STRICT, WITHOUT ROWID;

-- Passing: requests that a device's sign-in drafted, for its person to confirm in the console.
CREATE TABLE drafts (
    id       INTEGER PRIMARY KEY,
    person   INTEGER NOT NULL,
    method   TEXT NOT NULL,
    path     TEXT NOT NULL,
    body     TEXT NOT NULL,
    drawn_at INTEGER NOT NULL,
    status   INTEGER,                  -- of the reply, once confirmed; 0 where it was dropped
    reply    TEXT
) STRICT;
CREATE INDEX drafts_person ON drafts (person);
