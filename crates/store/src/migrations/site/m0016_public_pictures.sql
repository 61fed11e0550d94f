-- Pictures whose files anybody who has their address may fetch.

ALTER TABLE pictures ADD is_public boolean NOT NULL DEFAULT false;
