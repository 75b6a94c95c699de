-- The laboratory's key: reports are sealed with it. Made at first use, one for the whole database.
CREATE TABLE seal_key (
    one     boolean PRIMARY KEY DEFAULT true CHECK (one),
    secret  bytea NOT NULL CHECK (octet_length(secret) = 32),
    made_at timestamptz NOT NULL DEFAULT now()
);
