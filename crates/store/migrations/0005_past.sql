-- Derived: elevations that are over, and their grants, apart from `rows`, since they are not in memory for long. The columns
-- beside the bodies follow from these, for whoever looks for some of them.
CREATE TABLE past_elevations (
    id          INTEGER PRIMARY KEY,
    asker       INTEGER NOT NULL,
    scope       INTEGER NOT NULL,
    role        INTEGER NOT NULL,
    eligibility INTEGER NOT NULL,
    state       TEXT NOT NULL,
    asked_at    INTEGER NOT NULL,      -- microseconds
    began       INTEGER NOT NULL,      -- from when on it was in force, or asked where it never was
    ended       INTEGER NOT NULL,
    spent       INTEGER NOT NULL,      -- from when on nothing that was made for it can be of use
    opened      INTEGER NOT NULL,      -- whether it had a grant
    body        TEXT NOT NULL
) STRICT;
CREATE INDEX past_elevations_asker ON past_elevations (asker, id);
CREATE INDEX past_elevations_scope ON past_elevations (scope, id);
CREATE INDEX past_elevations_eligibility ON past_elevations (eligibility, id);
-- With all that pages of days ask of them, so that no body is read for these.
CREATE INDEX past_elevations_asked ON past_elevations (asked_at, asker, scope);
CREATE INDEX past_elevations_ended ON past_elevations (ended, began, opened, asker, scope);
CREATE INDEX past_elevations_state ON past_elevations (state, id);
CREATE INDEX past_elevations_spent ON past_elevations (spent);
CREATE TABLE past_grants (
    id        INTEGER PRIMARY KEY,
    elevation INTEGER NOT NULL,
    body      TEXT NOT NULL
) STRICT;
CREATE INDEX past_grants_elevation ON past_grants (elevation);
CREATE TABLE past_approvers (
    person    INTEGER NOT NULL,
    elevation INTEGER NOT NULL,
    PRIMARY KEY (person, elevation)
) STRICT, WITHOUT ROWID;
CREATE INDEX past_approvers_elevation ON past_approvers (elevation);
CREATE TABLE past_answers (
    elevation INTEGER NOT NULL,
    person    INTEGER NOT NULL,
    at        INTEGER NOT NULL,
    yes       INTEGER NOT NULL,
    PRIMARY KEY (elevation, person, at)
) STRICT, WITHOUT ROWID;
CREATE INDEX past_answers_person ON past_answers (person, at);
