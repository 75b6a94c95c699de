-- How far the file of a part is, so that it is gone on with where it was stopped or its worker died.
CREATE TABLE job_mark (
    job_id    bigint NOT NULL,
    place     int    NOT NULL,
    -- Rows, or channels, that are written.
    done      bigint NOT NULL,
    -- Bytes that are written; those beyond whole pieces are the tail.
    bytes     bigint NOT NULL,
    tail      bytea  NOT NULL,
    -- What the file would end with.
    foot      bytea  NOT NULL,
    -- How often something had been put right in the run.
    corrected bigint NOT NULL,
    PRIMARY KEY (job_id, place),
    FOREIGN KEY (job_id, place) REFERENCES job_part ON DELETE CASCADE
);
ALTER TABLE job_mark ALTER COLUMN tail SET STORAGE EXTERNAL;
