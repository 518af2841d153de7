-- What Tempestas keeps on a PostgreSQL cluster, in a schema of its own: the grants it gave there, and a
-- procedure that ends them by the cluster's own clock. It goes on when Tempestas is dead.
BEGIN;
-- One at a time: two that install together would trip over each other.
SELECT pg_advisory_xact_lock(7436214);
CREATE SCHEMA IF NOT EXISTS tempestas;
REVOKE ALL ON SCHEMA tempestas FROM PUBLIC;

CREATE TABLE IF NOT EXISTS tempestas.grants (
    name           text PRIMARY KEY,         -- unguessable name of the login role
    mark           text NOT NULL,            -- tempestas/INSTALLATION/gNUMBER
    attempt        bigint NOT NULL,          -- highest order carried out
    state          text NOT NULL CHECK (state IN ('given', 'ended')),
    role_oid       oid,
    ends           timestamptz,
    given_at       timestamptz,
    ended_at       timestamptz,
    roles_before   oid[],                    -- roles that were there when it was given
    members_before text[]                    -- memberships that were there, as role:member
);
-- The transaction that gave it: whatever the catalogues hold that is younger came to be since.
ALTER TABLE tempestas.grants ADD COLUMN IF NOT EXISTS given_xid xid8;
-- The person's own login, where the grant's role is a carrier that it is a member of.
ALTER TABLE tempestas.grants ADD COLUMN IF NOT EXISTS member_oid oid;
-- The roles that a holder could act as, whose new objects are looked for afterwards.
ALTER TABLE tempestas.grants ADD COLUMN IF NOT EXISTS reached oid[];
-- Objects that belonged to the granted role and those it reaches, when it was given.
CREATE TABLE IF NOT EXISTS tempestas.objects_before (
    name  text NOT NULL REFERENCES tempestas.grants,
    owner oid NOT NULL, dbid oid NOT NULL, classid oid NOT NULL, objid oid NOT NULL
);
CREATE INDEX IF NOT EXISTS objects_before_name ON tempestas.objects_before (name);

-- Says which edition of all this is installed.
CREATE OR REPLACE FUNCTION tempestas.edition() RETURNS int LANGUAGE sql AS 'SELECT 3';

-- Takes everything from the login of one grant. By oid: a holder might have renamed it.
CREATE OR REPLACE PROCEDURE tempestas.end_grant(which text) LANGUAGE plpgsql AS $$
DECLARE
    login record;
    held record;
BEGIN
    SELECT r.oid, r.* INTO login FROM pg_roles r
        WHERE r.oid = (SELECT role_oid FROM tempestas.grants WHERE name = which);
    IF FOUND THEN
        EXECUTE format('ALTER ROLE %I NOLOGIN', login.rolname);
        IF login.rolsuper THEN EXECUTE format('ALTER ROLE %I NOSUPERUSER', login.rolname); END IF;
        IF login.rolcreaterole THEN EXECUTE format('ALTER ROLE %I NOCREATEROLE', login.rolname); END IF;
        IF login.rolcreatedb THEN EXECUTE format('ALTER ROLE %I NOCREATEDB', login.rolname); END IF;
        IF login.rolreplication THEN EXECUTE format('ALTER ROLE %I NOREPLICATION', login.rolname); END IF;
        IF login.rolbypassrls THEN EXECUTE format('ALTER ROLE %I NOBYPASSRLS', login.rolname); END IF;
        FOR held IN SELECT r.rolname FROM pg_auth_members m JOIN pg_roles r ON r.oid = m.roleid
                    WHERE m.member = login.oid LOOP
            EXECUTE format('REVOKE %I FROM %I', held.rolname, login.rolname);
        END LOOP;
        -- The person's own login, and whomever it may have been handed on to.
        FOR held IN SELECT r.rolname FROM pg_auth_members m JOIN pg_roles r ON r.oid = m.member
                    WHERE m.roleid = login.oid LOOP
            EXECUTE format('REVOKE %I FROM %I', login.rolname, held.rolname);
        END LOOP;
    END IF;
    UPDATE tempestas.grants SET state = 'ended', ended_at = clock_timestamp()
        WHERE name = which AND state <> 'ended';
END $$;

-- Sessions that have to end: those of a grant's own login; and all of a person's login that began before the grant on
-- it ended, for any of them could have taken on a role through it and still be that role. A sign-in that was under way
-- when the end became visible is given two seconds to show itself.
CREATE OR REPLACE VIEW tempestas.sessions AS
    SELECT g.name, a.pid FROM pg_stat_activity a JOIN tempestas.grants g
        ON g.role_oid = a.usesysid OR (g.member_oid = a.usesysid AND a.backend_start < g.ended_at + interval '2 seconds')
        WHERE g.state = 'ended';

-- Looks at all that ended, not only at the last one.
CREATE OR REPLACE FUNCTION tempestas.end_sessions() RETURNS void LANGUAGE sql AS $$
    SELECT pg_terminate_backend(pid) FROM tempestas.sessions;
$$;

-- Runs in a backend of its own until the cluster stops, whether or not its client lives.
CREATE OR REPLACE PROCEDURE tempestas.keep_time() LANGUAGE plpgsql AS $$
DECLARE
    due text;
BEGIN
    IF NOT pg_try_advisory_lock(7436213) THEN RETURN; END IF;
    LOOP
        FOR due IN SELECT name FROM tempestas.grants WHERE state = 'given' AND ends <= clock_timestamp() LOOP
            BEGIN
                CALL tempestas.end_grant(due);
            EXCEPTION WHEN OTHERS THEN
                RAISE LOG 'tempestas: a grant could not be ended yet: %', SQLERRM;
            END;
        END LOOP;
        COMMIT;
        PERFORM tempestas.end_sessions();
        COMMIT;
        PERFORM pg_sleep(0.25);
        COMMIT;
    END LOOP;
END $$;
COMMIT;
