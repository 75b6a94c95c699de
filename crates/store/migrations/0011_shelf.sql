-- Campaigns are begun, put away and deleted by people; what is deleted can be brought back for a day.
ALTER TABLE campaign
    ADD COLUMN begun_by    text NOT NULL DEFAULT '',
    ADD COLUMN archived_at timestamptz,
    ADD COLUMN deleted_at  timestamptz,
    -- When the front ends were last told to measure for it.
    ADD COLUMN chosen_at   timestamptz,
    -- Laid to be looked at; all of these can be removed at once.
    ADD COLUMN demo        boolean NOT NULL DEFAULT false;
-- A name that was deleted is free again.
ALTER TABLE campaign DROP CONSTRAINT campaign_name_key;
CREATE UNIQUE INDEX campaign_name ON campaign (name) WHERE deleted_at IS NULL;

ALTER TABLE run
    -- What its chunks take, packed, with their smallest and largest values.
    ADD COLUMN bytes      bigint NOT NULL DEFAULT 0,
    ADD COLUMN deleted_at timestamptz,
    ADD COLUMN who        text NOT NULL DEFAULT '',
    ADD COLUMN remark     text NOT NULL DEFAULT '',
    ADD COLUMN tags       text[] NOT NULL DEFAULT '{}',
    -- The file it was brought in from; while that goes on the run is out of every list.
    ADD COLUMN brought    jsonb;
UPDATE run SET bytes = coalesce(
    (SELECT sum(octet_length(counts) + octet_length(fine) + octet_length(coarse)) FROM chunk WHERE run_id = run.id), 0);

-- Files that were sent to be brought in, in pieces, so that any worker can read them; they go when that is done, or
-- after two days.
CREATE TABLE upload (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name   text NOT NULL,
    -- None while it is being sent.
    bytes  bigint,
    sha256 text,
    who    text NOT NULL,
    at     timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE upload_piece (
    upload_id bigint NOT NULL REFERENCES upload ON DELETE CASCADE,
    piece     int NOT NULL,
    bytes     bytea NOT NULL,
    PRIMARY KEY (upload_id, piece)
);
ALTER TABLE upload_piece ALTER COLUMN bytes SET STORAGE EXTERNAL;

-- A job may make a campaign, and then belongs to none; what it made is told.
ALTER TABLE job ALTER COLUMN campaign_id DROP NOT NULL;
ALTER TABLE job_part
    ADD COLUMN made_run      bigint REFERENCES run ON DELETE SET NULL,
    ADD COLUMN made_campaign bigint REFERENCES campaign ON DELETE SET NULL;
CREATE INDEX ON job_part (made_run);
CREATE INDEX ON job_part (made_campaign);
