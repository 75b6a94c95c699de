-- Who may work here, as what; who is signed in; tokens for programs.
CREATE TABLE person (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name    text NOT NULL,
    role    text NOT NULL CHECK (role IN ('watch', 'work', 'measure', 'own')),
    -- Argon2 in the usual text form.
    secret  text NOT NULL,
    made_by text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    -- Who is gone keeps the name in what was done.
    gone_at timestamptz
);
CREATE UNIQUE INDEX person_name ON person (lower(name)) WHERE gone_at IS NULL;

-- Wrong passwords by the name that was typed, whether there is such a person or not.
CREATE TABLE wrong_password (
    name    text PRIMARY KEY,
    times   int NOT NULL,
    last_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE session (
    id         text PRIMARY KEY,
    body       text NOT NULL,
    expires_at timestamptz NOT NULL
);
CREATE INDEX ON session (expires_at);

CREATE TABLE token (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text NOT NULL,
    -- SHA-256 of the token; itself it is told once and kept nowhere.
    hash       bytea NOT NULL UNIQUE,
    role       text NOT NULL CHECK (role IN ('watch', 'work', 'measure', 'own')),
    made_by    text NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL,
    used_at    timestamptz
);

DO $$
DECLARE
    told text;
BEGIN
    FOREACH told IN ARRAY ARRAY['person', 'token', 'change']
    LOOP
        EXECUTE format('CREATE TRIGGER tell_change AFTER INSERT OR UPDATE OR DELETE ON %I
                        FOR EACH ROW EXECUTE FUNCTION tell_change()', told);
    END LOOP;
END $$;
