-- A change of the report, the machine or the computed channels tells which version it was made on.
ALTER TABLE campaign
    ADD COLUMN report_version bigint NOT NULL DEFAULT 1,
    ADD COLUMN machine_version bigint NOT NULL DEFAULT 1,
    ADD COLUMN math_version bigint NOT NULL DEFAULT 1;
