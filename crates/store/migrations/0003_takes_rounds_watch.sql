-- Recorders of a session, takes, marks; rounds by the clock; watched values and alarms; benches.

-- Runs that were recorded together start at the same sample: `together` is the first one's key.
ALTER TABLE run ADD COLUMN recorder text NOT NULL DEFAULT '';
ALTER TABLE run ADD COLUMN together bigint REFERENCES run ON DELETE SET NULL;
ALTER TABLE run ADD COLUMN divide int NOT NULL DEFAULT 1;

-- Captures inside a run: of a trigger, or a segment. `samples` is what was to be kept; none while
-- open.
CREATE TABLE take (
    run_id         bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    number         int NOT NULL,
    trigger_sample bigint NOT NULL,
    first_sample   bigint NOT NULL,
    samples        bigint,
    says           text NOT NULL,
    PRIMARY KEY (run_id, number)
);

CREATE TABLE mark (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    sample bigint NOT NULL,
    says   text NOT NULL,
    who    text NOT NULL,
    at     timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON mark (run_id, sample);

CREATE TABLE schedule (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    rounds      jsonb NOT NULL,
    plan        jsonb NOT NULL,
    begun_at    timestamptz NOT NULL DEFAULT now(),
    state       text NOT NULL DEFAULT 'going' CHECK (state IN ('going', 'done', 'stopped')),
    who         text NOT NULL
);
-- One schedule at a time: two would want the same front end.
CREATE UNIQUE INDEX one_schedule_goes ON schedule (state) WHERE state = 'going';

CREATE TABLE round (
    schedule_id bigint NOT NULL REFERENCES schedule ON DELETE CASCADE,
    number      int NOT NULL,
    due_at      timestamptz NOT NULL,
    state       text NOT NULL CHECK (state IN ('going', 'done', 'missed', 'broken')),
    says        text NOT NULL DEFAULT '',
    run_id      bigint REFERENCES run ON DELETE SET NULL,
    measured    jsonb NOT NULL DEFAULT '[]',
    -- Its waveform as an SVG picture, which stays when the waveform goes.
    picture     text,
    PRIMARY KEY (schedule_id, number)
);

CREATE TABLE watched_value (
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    watched     text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    value       double precision NOT NULL
);
CREATE INDEX ON watched_value (campaign_id, watched, at);

CREATE TABLE alarm (
    id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id     bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    watched         text NOT NULL,
    zone            text NOT NULL,
    value           double precision NOT NULL,
    says            text NOT NULL,
    at              timestamptz NOT NULL DEFAULT now(),
    acknowledged_at timestamptz,
    acknowledged_by text
);
CREATE INDEX ON alarm (campaign_id, id);

CREATE TABLE bench (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    station     text NOT NULL,
    name        text NOT NULL,
    body        jsonb NOT NULL,
    UNIQUE (campaign_id, station, name)
);
