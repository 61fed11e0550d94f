-- The address of each site: two sites with one would show the same pages twice. A site's own steps
-- note it here.
ALTER TABLE sites ADD COLUMN address text;
CREATE UNIQUE INDEX sites_address ON sites (address) WHERE removed_at IS NULL;
