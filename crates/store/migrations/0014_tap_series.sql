-- A tap series: points that are hit in runs of its own, and what each hit was worth.
CREATE TABLE tap_series (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    number      int    NOT NULL,
    version     bigint NOT NULL DEFAULT 1,
    plan        jsonb  NOT NULL,
    -- Place of the point that has its turn, and of those that are left out.
    at          int    NOT NULL DEFAULT 0,
    skipped     int[]  NOT NULL DEFAULT '{}',
    who         text   NOT NULL,
    begun_at    timestamptz NOT NULL DEFAULT now(),
    UNIQUE (campaign_id, number)
);

-- Runs that were recorded for a series.
CREATE TABLE tap_run (
    series_id bigint NOT NULL REFERENCES tap_series ON DELETE CASCADE,
    run_id    bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    PRIMARY KEY (series_id, run_id)
);

CREATE TABLE tap_hit (
    series_id bigint NOT NULL REFERENCES tap_series ON DELETE CASCADE,
    nth       int    NOT NULL,
    point     int    NOT NULL,
    run_id    bigint NOT NULL REFERENCES run ON DELETE CASCADE,
    take      int    NOT NULL,
    verdict   jsonb  NOT NULL,
    state     text   NOT NULL CHECK (state IN ('waiting', 'accepted', 'rejected', 'replaced')),
    PRIMARY KEY (series_id, nth),
    UNIQUE (series_id, run_id, take)
);
CREATE INDEX ON tap_hit (run_id);
CREATE INDEX ON tap_run (run_id);

-- Responses between two degrees of freedom, of a series or of a file.
CREATE TABLE response_function (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    series_id   bigint REFERENCES tap_series ON DELETE CASCADE,
    -- Place of the point in the series, and whether both ends stay where they are from point to point.
    point       int    NOT NULL DEFAULT 0,
    stays       boolean NOT NULL DEFAULT false,
    -- Where it comes from: the file it was brought in with; empty for a series.
    source      text   NOT NULL DEFAULT '',
    response    jsonb  NOT NULL,
    reference   jsonb  NOT NULL,
    unit        text   NOT NULL,
    first_hz    float8 NOT NULL,
    step_hz     float8 NOT NULL,
    lines       int    NOT NULL,
    -- Real and imaginary parts in turn, and the coherence: little-endian doubles.
    parts       bytea  NOT NULL,
    coherence   bytea,
    quality     jsonb  NOT NULL,
    -- The hits it was made of: runs by their keys, takes by their numbers.
    hits        jsonb  NOT NULL DEFAULT '[]',
    added_decay float8 NOT NULL DEFAULT 0,
    taken_out   boolean NOT NULL DEFAULT false,
    who         text   NOT NULL DEFAULT '',
    made_at     timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE response_function ALTER COLUMN parts SET STORAGE EXTERNAL, ALTER COLUMN coherence SET STORAGE EXTERNAL;
CREATE UNIQUE INDEX ON response_function (series_id, point, stays, response, reference) WHERE series_id IS NOT NULL;
CREATE INDEX ON response_function (campaign_id);

DO $$
DECLARE
    told text;
BEGIN
    FOREACH told IN ARRAY ARRAY['tap_series', 'tap_hit', 'response_function']
    LOOP
        EXECUTE format('CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON %I
                        FOR EACH STATEMENT EXECUTE FUNCTION tell_change()', told);
    END LOOP;
END $$;
