-- Elements of the machine whose lines are looked for in spectra.

ALTER TABLE campaign ADD COLUMN machine jsonb NOT NULL DEFAULT '{"elements": []}';
