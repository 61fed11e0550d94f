-- The address of each site: two sites with one would show the same pages twice. A site's own steps
-- note it here.
ALTER TABLE sites ADD COLUMN address text;
CREATE UNIQUE INDEX sites_address ON sites (address) WHERE removed_at IS NULL;

-- The number that the blob store carries, too: the sweep of one installation would delete what
-- another one keeps in the same store.
CREATE TABLE installation (
    id uuid NOT NULL DEFAULT gen_random_uuid(),
    is_only boolean PRIMARY KEY DEFAULT true CHECK (is_only)
);
INSERT INTO installation DEFAULT VALUES;
