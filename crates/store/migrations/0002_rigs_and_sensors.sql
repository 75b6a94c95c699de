-- Every version of every rig; named rigs beside the one in use; the register of sensors with its
-- history; findings that are let pass; checks against a reference.

CREATE TABLE rig_version (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    version     bigint NOT NULL,
    rig         jsonb NOT NULL,
    who         text NOT NULL,
    what        text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    UNIQUE (campaign_id, version)
);

INSERT INTO rig_version (campaign_id, version, rig, who, what, at)
SELECT id, rig_version, rig, 'engineer', 'first kept version', created_at FROM campaign;

CREATE TABLE kept_rig (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    name        text NOT NULL,
    version     bigint NOT NULL,
    rig         jsonb NOT NULL,
    who         text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    UNIQUE (campaign_id, name)
);

CREATE TABLE sensor (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    model      text NOT NULL,
    serial     text NOT NULL,
    body       jsonb NOT NULL,
    changed_at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (model, serial)
);

CREATE TABLE sensor_history (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    sensor_id bigint NOT NULL REFERENCES sensor ON DELETE CASCADE,
    at        timestamptz NOT NULL DEFAULT now(),
    who       text NOT NULL,
    what      text NOT NULL,
    body      jsonb NOT NULL
);
CREATE INDEX ON sensor_history (sensor_id, id);

CREATE TABLE waiver (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    campaign_id bigint NOT NULL REFERENCES campaign ON DELETE CASCADE,
    rule        text NOT NULL,
    input       int,
    says        text NOT NULL,
    reason      text NOT NULL,
    who         text NOT NULL,
    at          timestamptz NOT NULL DEFAULT now(),
    taken_back  timestamptz
);
CREATE INDEX ON waiver (campaign_id);

-- Where the campaign's front ends were last: found again when the campaign is chosen.
ALTER TABLE campaign ADD COLUMN front_end text;
