-- Computed channels of a campaign; entries of a run put right; results that are kept; notes on curves.

ALTER TABLE campaign ADD COLUMN math jsonb NOT NULL DEFAULT '[]';

-- `channel` is none where the tachometer is put right: `body` then is the tachometer as a recipe
-- takes it. Sensitivities have a table of their own.
CREATE TABLE correction (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id  bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    channel smallint,
    field   text NOT NULL,
    before  text NOT NULL,
    after   text NOT NULL,
    body    jsonb NOT NULL,
    reason  text NOT NULL,
    who     text NOT NULL,
    at      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON correction (run_id, id);

-- `corrected` counts what had been put right in the run when the result was made: fewer than now
-- means that it is stale.
CREATE TABLE result (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id    bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    name      text NOT NULL,
    recipe    jsonb NOT NULL,
    body      jsonb NOT NULL,
    corrected bigint NOT NULL,
    who       text NOT NULL,
    made_at   timestamptz NOT NULL DEFAULT now(),
    UNIQUE (run_id, name)
);

CREATE TABLE note (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id  bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    lens    text NOT NULL,
    axis    text NOT NULL,
    place   double precision NOT NULL,
    unit    text NOT NULL,
    channel smallint,
    says    text NOT NULL,
    who     text NOT NULL,
    at      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON note (run_id, id);
