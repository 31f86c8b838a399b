-- +goose Up

-- A delivery on a disc: what it is made of, its image, and where that leads.
CREATE TABLE discs (
    delivery_id bigint PRIMARY KEY REFERENCES deliveries ON DELETE CASCADE,
    setting     jsonb NOT NULL,
    budget      text NOT NULL DEFAULT '',
    image       text REFERENCES blobs,
    size        bigint NOT NULL DEFAULT 0,
    guide       jsonb,
    tools       text NOT NULL DEFAULT '',
    error       text NOT NULL DEFAULT '',
    pressed_at  timestamptz,
    verified_at timestamptz
);
CREATE INDEX discs_image ON discs (image) WHERE image IS NOT NULL;

-- Copies of discs, burned one after the other.
CREATE TABLE burns (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    delivery_id bigint NOT NULL REFERENCES discs ON DELETE CASCADE,
    copy        integer NOT NULL,
    words       text NOT NULL,
    state       text NOT NULL,
    asks        text NOT NULL DEFAULT '',
    error       text NOT NULL DEFAULT '',
    done        bigint NOT NULL DEFAULT 0,
    total       bigint NOT NULL DEFAULT 0,
    created_at  timestamptz NOT NULL DEFAULT now(),
    finished_at timestamptz
);
CREATE INDEX burns_delivery ON burns (delivery_id);
CREATE INDEX burns_open ON burns (id) WHERE finished_at IS NULL;

-- The drive that ships with the program and burns nothing.
CREATE TABLE standin_drive (
    id     integer PRIMARY KEY CHECK (id = 1),
    open   boolean NOT NULL DEFAULT false,
    blank  text NOT NULL DEFAULT '',
    bytes  bigint NOT NULL DEFAULT 0,
    burned boolean NOT NULL DEFAULT false,
    fails  text NOT NULL DEFAULT '',
    speed  bigint NOT NULL DEFAULT 40000000
);
INSERT INTO standin_drive (id, blank, bytes) VALUES (1, 'DVD 4.7 GB', 4700372992);

-- +goose Down
DROP TABLE standin_drive;
DROP TABLE burns;
DELETE FROM deliveries WHERE kind = 'disc';
DROP TABLE discs;
