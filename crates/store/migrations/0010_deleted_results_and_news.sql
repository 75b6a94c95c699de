-- A kept result that is deleted can be brought back for a day.
ALTER TABLE result ADD COLUMN deleted_at timestamptz;

-- Whoever listens hears which tables change, whichever process changes them: a page asks again when it is told to
-- instead of all the time. What is written many times a second (chunks, watched values) is not told.
CREATE FUNCTION tell_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('changed', TG_TABLE_NAME);
    RETURN NULL;
END $$;
DO $$
DECLARE
    told text;
BEGIN
    FOREACH told IN ARRAY ARRAY['alarm', 'bench', 'calibration', 'campaign', 'correction', 'job', 'job_part', 'kept_rig',
        'mark', 'note', 'recipe', 'result', 'rig_version', 'round', 'run', 'schedule', 'sensor', 'take', 'waiver']
    LOOP
        EXECUTE format('CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON %I
                        FOR EACH ROW EXECUTE FUNCTION tell_change()', told);
    END LOOP;
END $$;
