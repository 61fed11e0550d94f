-- Until when whoever has a job in hand counts as at it, without another sign of life: a process that
-- hangs keeps its lock.
ALTER TABLE jobs ADD COLUMN alive_until timestamptz;

CREATE FUNCTION is_in_hand(worker integer, alive_until timestamptz) RETURNS boolean LANGUAGE sql STABLE AS $$
    SELECT coalesce(alive_until > now(), true) AND is_worker_alive(worker);
$$;

-- How many processes of ours live, with workers or not.
CREATE FUNCTION living_processes() RETURNS bigint LANGUAGE sql STABLE AS $$
    SELECT count(DISTINCT objid) FROM pg_locks
    WHERE locktype = 'advisory' AND granted AND classid = 1112363088 AND objsubid = 2
        AND database = (SELECT oid FROM pg_database WHERE datname = current_database());
$$;
