-- Work that outlives a request: a job has parts, each made by one worker. The queue itself is a library's, in
-- a schema of its own.
CREATE TABLE job (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    who         text NOT NULL,
    asked_at    timestamptz NOT NULL DEFAULT now(),
    stopped     boolean NOT NULL DEFAULT false
);
CREATE INDEX ON job (campaign_id, id);
CREATE INDEX ON job (asked_at);

CREATE TABLE job_part (
    job_id    bigint NOT NULL REFERENCES job ON DELETE CASCADE,
    place     int NOT NULL,
    wish      jsonb NOT NULL,
    state     text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'going', 'done', 'refused', 'stopped')),
    share     double precision NOT NULL DEFAULT 0,
    says      text NOT NULL DEFAULT '',
    -- The kept result it made.
    result_id bigint REFERENCES result ON DELETE SET NULL,
    -- Who works on it, or did last: nobody else tells of it.
    worker    text NOT NULL DEFAULT '',
    PRIMARY KEY (job_id, place)
);
CREATE INDEX ON job_part (result_id);

-- A file that a part made, in pieces, so that it can be fetched from any machine.
CREATE TABLE job_file (
    job_id bigint NOT NULL,
    place  int NOT NULL,
    piece  int NOT NULL,
    bytes  bytea NOT NULL,
    PRIMARY KEY (job_id, place, piece),
    FOREIGN KEY (job_id, place) REFERENCES job_part ON DELETE CASCADE
);
ALTER TABLE job_file ALTER COLUMN bytes SET STORAGE EXTERNAL;

-- A result belongs to the campaign, and tells what it was made of: stretches and takes of runs, other results.
ALTER TABLE result ADD COLUMN campaign_id bigint REFERENCES campaign ON DELETE CASCADE;
UPDATE result SET campaign_id = run.campaign_id FROM run WHERE run.id = result.run_id;
ALTER TABLE result ALTER COLUMN campaign_id SET NOT NULL;
-- What it is of, as text: a name stands for one result of each.
ALTER TABLE result ADD COLUMN made_of text;
UPDATE result SET made_of = 'run ' || run_id;
ALTER TABLE result ALTER COLUMN made_of SET NOT NULL;
ALTER TABLE result ADD UNIQUE (campaign_id, made_of, name);

CREATE TABLE result_input (
    result_id bigint NOT NULL REFERENCES result ON DELETE CASCADE,
    place     int NOT NULL,
    -- None where the run, or the other result, is gone.
    run_id    bigint REFERENCES run ON DELETE SET NULL,
    other_id  bigint REFERENCES result ON DELETE SET NULL,
    from_s    double precision,
    to_s      double precision,
    takes     int[],
    -- How much had been put right in the run when the result was made: fewer than now means that it is stale.
    corrected bigint NOT NULL DEFAULT 0,
    PRIMARY KEY (result_id, place)
);
INSERT INTO result_input (result_id, place, run_id, from_s, to_s, corrected)
SELECT id, 1, run_id, (recipe->'stretch'->>'from_s')::float8, (recipe->'stretch'->>'to_s')::float8, corrected FROM result;
CREATE INDEX ON result_input (run_id);
CREATE INDEX ON result_input (other_id);
ALTER TABLE result DROP COLUMN run_id, DROP COLUMN corrected;

-- Foreign keys that are followed when a run or a campaign goes, and lists that are sorted by them.
CREATE INDEX ON round (run_id);
CREATE INDEX ON run (together);
CREATE INDEX ON schedule (campaign_id, id);

-- The sensitivity a channel was recorded with, told apart from those put right afterwards.
ALTER TABLE calibration ADD COLUMN recorded boolean NOT NULL DEFAULT false;
UPDATE calibration c SET recorded = true
WHERE id = (SELECT min(id) FROM calibration f WHERE f.run_id = c.run_id AND f.channel = c.channel);
