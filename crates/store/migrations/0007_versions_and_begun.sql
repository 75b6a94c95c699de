-- Plans carry a version, so that nobody writes over a change they have not seen.
ALTER TABLE campaign ADD COLUMN plan_version bigint NOT NULL DEFAULT 1;
-- A run that has kept a sample, or was to: a crash before its first chunk leaves it in the list.
ALTER TABLE run ADD COLUMN begun boolean NOT NULL DEFAULT false;
