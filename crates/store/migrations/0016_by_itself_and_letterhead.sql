-- What is done by itself when something ends. What ended is looked at once: rows that were there before are done with.
ALTER TABLE run ADD COLUMN tended boolean NOT NULL DEFAULT true;
ALTER TABLE run ALTER COLUMN tended SET DEFAULT false;
ALTER TABLE schedule ADD COLUMN tended boolean NOT NULL DEFAULT true;
ALTER TABLE schedule ALTER COLUMN tended SET DEFAULT false;
ALTER TABLE tap_series ADD COLUMN tended boolean NOT NULL DEFAULT true;
ALTER TABLE tap_series ALTER COLUMN tended SET DEFAULT false;
CREATE INDEX ON run (id) WHERE NOT tended;
CREATE INDEX ON schedule (id) WHERE NOT tended;
CREATE INDEX ON tap_series (id) WHERE NOT tended;

CREATE TABLE deed (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    -- What ended, and its number in the campaign.
    ending      text   NOT NULL CHECK (ending IN ('run', 'round', 'rounds', 'series')),
    number      int    NOT NULL,
    run_id      bigint REFERENCES run ON DELETE SET NULL,
    deed        jsonb  NOT NULL,
    state       text   NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'going', 'done', 'refused', 'stopped')),
    job_id      bigint REFERENCES job ON DELETE SET NULL,
    says        text   NOT NULL DEFAULT '',
    -- Where its file lies, below the folder for files.
    path        text   NOT NULL DEFAULT '',
    begun_at    timestamptz NOT NULL DEFAULT now(),
    ended_at    timestamptz
);
CREATE INDEX ON deed (campaign_id, id);
CREATE INDEX ON deed (id) WHERE state IN ('waiting', 'going');
CREATE INDEX ON deed (run_id);
CREATE INDEX ON deed (job_id);
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON deed
    FOR EACH ROW EXECUTE FUNCTION tell_change();

-- What stands over the house's reports.
CREATE TABLE house (
    one     boolean PRIMARY KEY DEFAULT true CHECK (one),
    lines   text[] NOT NULL DEFAULT '{}',
    logo    bytea,
    who     text NOT NULL,
    at      timestamptz NOT NULL DEFAULT now()
);
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON house
    FOR EACH ROW EXECUTE FUNCTION tell_change();
