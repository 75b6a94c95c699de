-- What is known of a specimen: kind, serial number, remarks, and its geometry.
ALTER TABLE campaign
    ADD COLUMN specimen_sheet   jsonb  NOT NULL DEFAULT '{}',
    ADD COLUMN specimen_version bigint NOT NULL DEFAULT 1;

-- Its pictures, and the surface its points are put onto.
CREATE TABLE specimen_file (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    kind        text NOT NULL CHECK (kind IN ('picture', 'surface')),
    name        text NOT NULL,
    media_type  text NOT NULL,
    -- How many m the unit of a surface is.
    to_m        float8 NOT NULL DEFAULT 1,
    bytes       bytea NOT NULL,
    who         text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE specimen_file ALTER COLUMN bytes SET STORAGE EXTERNAL;
CREATE INDEX ON specimen_file (campaign_id);
CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON specimen_file
    FOR EACH ROW EXECUTE FUNCTION tell_change();
