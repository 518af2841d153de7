-- What Tempestas keeps on a PostgreSQL cluster, in a schema of its own: the grants it gave there, and a
-- procedure that ends them by the cluster's own clock. It goes on when Tempestas is dead.
--
-- Everybody who may sign in to this database is hostile: nothing here waits for a lock that they can hold, and no name
-- is looked for where they could have put one.

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
-- When its role had lost everything; the end itself is noted before, and does not wait for this.
ALTER TABLE tempestas.grants ADD COLUMN IF NOT EXISTS stripped_at timestamptz;
-- Whether its holder could change other roles, or hand on what it reaches.
ALTER TABLE tempestas.grants ADD COLUMN IF NOT EXISTS hands_on boolean;
-- What each role might do when it was given, as oid:attributes.
ALTER TABLE tempestas.grants ADD COLUMN IF NOT EXISTS attributes_before text[];
-- Objects that belonged to the granted role and those it reaches, when it was given.
CREATE TABLE IF NOT EXISTS tempestas.objects_before (
    name  text NOT NULL REFERENCES tempestas.grants,
    owner oid NOT NULL, dbid oid NOT NULL, classid oid NOT NULL, objid oid NOT NULL
);
CREATE INDEX IF NOT EXISTS objects_before_name ON tempestas.objects_before (name);

-- What earlier editions had; one of their procedures may run still.
SELECT pg_terminate_backend(pid) FROM pg_stat_activity
    WHERE usesysid = (SELECT oid FROM pg_roles WHERE rolname = current_user) AND application_name = 'tempestas keep_time';
DROP PROCEDURE IF EXISTS tempestas.end_grant(text);
DROP FUNCTION IF EXISTS tempestas.end_sessions();
UPDATE tempestas.grants SET stripped_at = ended_at WHERE state = 'ended' AND stripped_at IS NULL;

-- The backend that keeps time, and its last sign of life. Only our own role can write it: no lock that others could take,
-- and no name that others could bear, stands for it.
CREATE TABLE IF NOT EXISTS tempestas.timekeeper (
    only_one boolean PRIMARY KEY DEFAULT true CHECK (only_one),
    pid      int NOT NULL,
    began    timestamptz NOT NULL,
    beat     timestamptz NOT NULL
);
CREATE OR REPLACE VIEW tempestas.alive AS
    SELECT t.pid FROM tempestas.timekeeper t
    JOIN pg_stat_activity a ON a.pid = t.pid AND a.backend_start = t.began
    JOIN pg_namespace n ON n.nspname = 'tempestas' AND n.nspowner = a.usesysid
    WHERE a.datname = current_database() AND t.beat > clock_timestamp() - interval '3 seconds';

-- Says which edition of all this is installed.
CREATE OR REPLACE FUNCTION tempestas.edition() RETURNS int LANGUAGE sql SET search_path = pg_catalog, pg_temp AS 'SELECT 4';

-- What each role may do by itself.
CREATE OR REPLACE VIEW tempestas.attributes AS
    SELECT oid, concat_ws(':', oid, rolsuper, rolcreaterole, rolcreatedb, rolreplication, rolbypassrls, rolcanlogin, rolvaliduntil)
        AS attributes FROM pg_roles;

-- Ends whatever transaction holds a row of a grant's role, or the role itself: nobody else has business there.
CREATE OR REPLACE PROCEDURE tempestas.end_blockers(role oid) LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    holding xid[];
BEGIN
    SELECT array_agg(m.xmax) INTO holding FROM pg_auth_members m WHERE role IN (m.member, m.roleid);
    IF has_table_privilege('pg_authid', 'SELECT') THEN
        SELECT holding || array_agg(a.xmax) INTO holding FROM pg_authid a WHERE a.oid = role;
    END IF;
    PERFORM pg_terminate_backend(l.pid) FROM pg_locks l
        WHERE l.granted AND l.pid <> pg_backend_pid() AND (
            l.locktype = 'transactionid' AND l.mode = 'ExclusiveLock' AND l.transactionid = ANY (holding)
            OR l.locktype = 'object' AND l.classid = 'pg_authid'::regclass AND l.objid = role);
EXCEPTION WHEN insufficient_privilege THEN
    -- Of a superuser, whom a lesser broker can't end.
    RAISE LOG 'tempestas: who holds up an end may not be ended by %', current_user;
END $$;

-- Does one step of an end; says whether it went. It waits for nobody, so that no step holds up another.
CREATE OR REPLACE FUNCTION tempestas.does(step text) RETURNS boolean LANGUAGE plpgsql
    SET search_path = pg_catalog, pg_temp SET lock_timeout = '200ms' AS $$
BEGIN
    EXECUTE step;
    RETURN true;
EXCEPTION WHEN OTHERS THEN
    RAISE LOG 'tempestas: a step of an end did not go yet (%)', SQLSTATE;
    RETURN false;
END $$;

-- Takes everything from the login of one grant that ended. By oid: a holder might have renamed it. Memberships go first,
-- because a holder can lock the row of their own role, and no other.
CREATE OR REPLACE PROCEDURE tempestas.strip(which text) LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    login record;
    held record;
    went boolean := true;
    less text;
BEGIN
    SELECT r.oid, r.* INTO login FROM pg_roles r
        WHERE r.oid = (SELECT role_oid FROM tempestas.grants WHERE name = which);
    IF FOUND THEN
        CALL tempestas.end_blockers(login.oid);
        -- What it is a member of; and the person's own login, and whomever it may have been handed on to.
        FOR held IN SELECT p.rolname AS role, h.rolname AS member FROM pg_auth_members m
                    JOIN pg_roles p ON p.oid = m.roleid JOIN pg_roles h ON h.oid = m.member
                    WHERE login.oid IN (m.member, m.roleid) LOOP
            went := tempestas.does(format('REVOKE %I FROM %I', held.role, held.member)) AND went;
        END LOOP;
        less := concat_ws(' ',
            CASE WHEN login.rolcanlogin THEN 'NOLOGIN' END, CASE WHEN login.rolsuper THEN 'NOSUPERUSER' END,
            CASE WHEN login.rolcreaterole THEN 'NOCREATEROLE' END, CASE WHEN login.rolcreatedb THEN 'NOCREATEDB' END,
            CASE WHEN login.rolreplication THEN 'NOREPLICATION' END, CASE WHEN login.rolbypassrls THEN 'NOBYPASSRLS' END);
        IF less <> '' THEN
            went := tempestas.does(format('ALTER ROLE %I %s', login.rolname, less)) AND went;
        END IF;
    END IF;
    IF went THEN
        UPDATE tempestas.grants SET stripped_at = clock_timestamp() WHERE name = which;
    END IF;
END $$;

-- Sessions that have to end: those of a grant's own login; and all of a person's login that began before the grant on
-- it ended, for any of them could have taken on a role through it and still be that role. A sign-in that was under way
-- when the end became visible is given two seconds to show itself.
CREATE OR REPLACE VIEW tempestas.sessions AS
    SELECT g.name, a.pid FROM pg_stat_activity a JOIN tempestas.grants g
        ON g.role_oid = a.usesysid
        OR (g.member_oid = a.usesysid AND a.backend_start < COALESCE(g.stripped_at, 'infinity') + interval '2 seconds')
        WHERE g.state = 'ended';

-- Grants that ended and whose role can still do, or become, something.
CREATE OR REPLACE VIEW tempestas.unfinished AS
    SELECT g.name FROM tempestas.grants g LEFT JOIN pg_roles r ON r.oid = g.role_oid
    WHERE (g.state = 'ended' OR g.ends <= clock_timestamp()) AND (g.stripped_at IS NULL
        OR r.rolcanlogin OR r.rolsuper OR r.rolcreaterole OR r.rolcreatedb OR r.rolreplication OR r.rolbypassrls
        OR EXISTS (SELECT FROM pg_auth_members m WHERE r.oid IN (m.member, m.roleid)));

-- Looks at all that ended, not only at the last one; of one that may not be ended it goes on with the others.
CREATE OR REPLACE PROCEDURE tempestas.end_sessions() LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
DECLARE
    session record;
BEGIN
    FOR session IN SELECT DISTINCT pid FROM tempestas.sessions LOOP
        BEGIN
            PERFORM pg_terminate_backend(session.pid);
        EXCEPTION WHEN insufficient_privilege THEN
            RAISE LOG 'tempestas: a session may not be ended by %', current_user;
        END;
    END LOOP;
END $$;

-- Notes the end of what is due. What another of ours is at this moment writing comes with the next turn.
CREATE OR REPLACE PROCEDURE tempestas.note_due() LANGUAGE sql SET search_path = pg_catalog, pg_temp AS $$
    UPDATE tempestas.grants SET state = 'ended', ended_at = clock_timestamp() WHERE name IN (
        SELECT name FROM tempestas.grants WHERE state = 'given' AND ends <= clock_timestamp() FOR UPDATE SKIP LOCKED);
$$;

-- Gives a sign of life; false where another backend keeps time by now.
CREATE OR REPLACE FUNCTION tempestas.lives() RETURNS boolean LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    UPDATE tempestas.timekeeper SET beat = clock_timestamp() WHERE pid = pg_backend_pid();
    RETURN FOUND;
END $$;

-- Makes this backend the one that keeps time, unless one does.
CREATE OR REPLACE FUNCTION tempestas.takes_over() RETURNS boolean LANGUAGE plpgsql SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    INSERT INTO tempestas.timekeeper (pid, began, beat) VALUES (0, '-infinity', '-infinity') ON CONFLICT DO NOTHING;
    PERFORM FROM tempestas.timekeeper FOR UPDATE;
    IF EXISTS (SELECT FROM tempestas.alive) THEN RETURN false; END IF;
    UPDATE tempestas.timekeeper SET pid = pg_backend_pid(), beat = clock_timestamp(),
        began = (SELECT backend_start FROM pg_stat_activity WHERE pid = pg_backend_pid());
    RETURN true;
END $$;

-- Runs in a backend of its own until the cluster stops, whether or not its client lives. Sessions end first, in a
-- transaction of their own: what they had open holds up what comes after, and only that.
CREATE OR REPLACE PROCEDURE tempestas.keep_time() LANGUAGE plpgsql AS $$
DECLARE
    due text;
BEGIN
    IF NOT tempestas.takes_over() THEN RETURN; END IF;
    COMMIT;
    WHILE tempestas.lives() LOOP
        COMMIT;
        CALL tempestas.note_due();
        COMMIT;
        CALL tempestas.end_sessions();
        COMMIT;
        FOR due IN SELECT name FROM tempestas.unfinished LOOP
            CALL tempestas.strip(due);
            COMMIT;
            CALL tempestas.end_sessions();
            PERFORM tempestas.lives();
            COMMIT;
        END LOOP;
        PERFORM pg_catalog.pg_sleep(0.25);
        COMMIT;
    END LOOP;
END $$;

REVOKE ALL ON SCHEMA tempestas FROM PUBLIC;
REVOKE ALL ON ALL TABLES IN SCHEMA tempestas FROM PUBLIC;
REVOKE ALL ON ALL ROUTINES IN SCHEMA tempestas FROM PUBLIC;
