-- The laboratory's key: reports are sealed with it. Made at first use, one for the whole database.
CREATE TABLE seal_key (
    one     boolean PRIMARY KEY DEFAULT true CHECK (one),
    secret  bytea NOT NULL CHECK (octet_length(secret) = 32),
    made_at timestamptz NOT NULL DEFAULT now()
);

-- Reports of the house: blocks without runs, that any campaign's report begins with.
CREATE TABLE report_template (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name    text NOT NULL UNIQUE,
    body    jsonb NOT NULL,
    who     text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now()
);
