-- +goose Up

-- The studio's sign-in at a video host, and films that are put there.
CREATE TABLE host_account (
    id           integer PRIMARY KEY CHECK (id = 1),
    host         text NOT NULL,
    token        jsonb NOT NULL,
    broken       text NOT NULL DEFAULT '',
    connected_at timestamptz NOT NULL
);
CREATE TABLE uploads (
    delivery_id bigint PRIMARY KEY REFERENCES deliveries ON DELETE CASCADE,
    render_id   bigint NOT NULL REFERENCES renders ON DELETE CASCADE,
    title       text NOT NULL,
    note        text NOT NULL DEFAULT '',
    tags        jsonb,
    visibility  text NOT NULL,
    video_id    text NOT NULL DEFAULT '',
    goes_to     text NOT NULL DEFAULT '',
    address     text NOT NULL DEFAULT '',
    sent        bigint NOT NULL DEFAULT 0,
    size        bigint NOT NULL DEFAULT 0,
    error       text NOT NULL DEFAULT '',
    done_at     timestamptz
);
CREATE INDEX uploads_render ON uploads (render_id);

-- What is wanted of an order: kinds of delivery, a link if nothing is said.
ALTER TABLE orders ADD COLUMN wants jsonb;

-- +goose Down
ALTER TABLE orders DROP COLUMN wants;
DROP TABLE uploads;
DROP TABLE host_account;
DELETE FROM deliveries WHERE kind = 'upload';
