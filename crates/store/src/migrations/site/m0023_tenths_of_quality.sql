-- Qualities have tenths.
ALTER TABLE variants ALTER COLUMN quality TYPE real;
