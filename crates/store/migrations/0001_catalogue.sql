-- Campaigns with their rigs and plans; runs with their channels, chunks and gaps; the change log.

CREATE TABLE campaign (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name        text NOT NULL UNIQUE,
    specimen    text NOT NULL,
    purpose     text NOT NULL DEFAULT '',
    rig         jsonb NOT NULL,
    rig_version bigint NOT NULL DEFAULT 1,
    plan        jsonb NOT NULL,
    report      jsonb,
    created_at  timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE run (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id    bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    number         int NOT NULL,
    kind           text NOT NULL DEFAULT '',
    state          text NOT NULL CHECK (state IN ('recording', 'whole', 'broken')),
    ended_because  text,
    started_at     timestamptz NOT NULL DEFAULT now(),
    sample_rate_hz double precision NOT NULL,
    clean_share    double precision NOT NULL,
    samples        bigint NOT NULL DEFAULT 0,
    front_end      text NOT NULL,
    rig            jsonb NOT NULL,
    plan           jsonb NOT NULL,
    UNIQUE (campaign_id, number)
);

-- Channels as they were recorded: counts become volts by volts_per_count, and units by the newest
-- calibration.
CREATE TABLE run_channel (
    run_id          bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    channel         smallint NOT NULL,
    input           smallint NOT NULL,
    volts_per_count double precision NOT NULL,
    body            jsonb NOT NULL,
    PRIMARY KEY (run_id, channel)
);

CREATE TABLE calibration (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id      bigint NOT NULL,
    channel     smallint NOT NULL,
    sensitivity jsonb NOT NULL,
    reason      text NOT NULL,
    who         text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    FOREIGN KEY (run_id, channel) REFERENCES run_channel ON DELETE CASCADE
);
CREATE INDEX ON calibration (run_id, channel, id);

-- About a second of one channel: packed counts, and smallest and largest of every 256, every 4096
-- and all of them.
CREATE TABLE chunk (
    run_id       bigint NOT NULL,
    channel      smallint NOT NULL,
    first_sample bigint NOT NULL,
    samples      int NOT NULL,
    low          int NOT NULL,
    high         int NOT NULL,
    over_range   boolean NOT NULL,
    coarse       bytea NOT NULL,
    fine         bytea NOT NULL,
    counts       bytea NOT NULL,
    PRIMARY KEY (run_id, channel, first_sample),
    FOREIGN KEY (run_id) REFERENCES run ON DELETE CASCADE
);
ALTER TABLE chunk ALTER COLUMN counts SET STORAGE EXTERNAL;
ALTER TABLE chunk ALTER COLUMN fine SET STORAGE EXTERNAL;
ALTER TABLE chunk ALTER COLUMN coarse SET STORAGE PLAIN;

CREATE TABLE gap (
    run_id       bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    first_sample bigint NOT NULL,
    samples      bigint NOT NULL,
    why          text NOT NULL,
    PRIMARY KEY (run_id, first_sample)
);

CREATE TABLE change (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at          timestamptz NOT NULL DEFAULT now(),
    who         text NOT NULL,
    campaign_id bigint REFERENCES campaign ON DELETE CASCADE,
    what        text NOT NULL,
    detail      jsonb NOT NULL
);
CREATE INDEX ON change (campaign_id, id);

CREATE TABLE recipe (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    name        text NOT NULL,
    body        jsonb NOT NULL,
    UNIQUE (campaign_id, name)
);
