-- What a front end found of its inputs, each time it was asked.
CREATE TABLE self_test (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    at          timestamptz NOT NULL DEFAULT now(),
    who         text   NOT NULL,
    front_end   text   NOT NULL,
    -- A list: input, passed, says, bias_v, offset_v, noise_v.
    inputs      jsonb  NOT NULL
);
CREATE INDEX ON self_test (campaign_id, id);
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON self_test
    FOR EACH STATEMENT EXECUTE FUNCTION tell_change();

-- Units that the house's reports show quantities in.
ALTER TABLE house ADD COLUMN units text[] NOT NULL DEFAULT '{}';
