-- +goose Up

-- What a client's page has beside the film. A password is kept as a hash; a
-- device by a hash of a number that only it has, and only where their count is
-- limited.
ALTER TABLE links
    ADD COLUMN note text NOT NULL DEFAULT '',
    ADD COLUMN password_hash text NOT NULL DEFAULT '',
    ADD COLUMN devices int NOT NULL DEFAULT 0,
    ADD COLUMN embed boolean NOT NULL DEFAULT false,
    ADD COLUMN poster text REFERENCES blobs,
    ADD COLUMN downloads bigint NOT NULL DEFAULT 0,
    ADD COLUMN proof boolean NOT NULL DEFAULT false;
CREATE TABLE link_devices (
    link_id bigint NOT NULL REFERENCES links ON DELETE CASCADE,
    device  bytea NOT NULL,
    seen_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (link_id, device)
);

CREATE INDEX links_poster ON links (poster) WHERE poster IS NOT NULL;

-- A film as it is streamed: one file of fragments and the list of them.
ALTER TABLE renders
    ADD COLUMN stream text REFERENCES blobs,
    ADD COLUMN stream_list text NOT NULL DEFAULT '',
    ADD COLUMN watermark text NOT NULL DEFAULT '';

CREATE INDEX renders_stream ON renders (stream) WHERE stream IS NOT NULL;

ALTER TABLE deliveries DROP CONSTRAINT deliveries_kind_check;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_kind_check CHECK (kind IN ('file', 'disc', 'link', 'upload', 'proof'));

-- Sites that may show the studio's films in their own pages.
ALTER TABLE studio ADD COLUMN sites text NOT NULL DEFAULT '';

-- What a client says of a proof, and what is answered. A remark is of a moment
-- of a revision and of the slide that was shown then.
ALTER TABLE orders ADD COLUMN asks_approval boolean NOT NULL DEFAULT false;
CREATE TABLE remarks (
    id          bigserial PRIMARY KEY,
    order_id    bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    delivery_id bigint REFERENCES deliveries ON DELETE CASCADE,
    parent_id   bigint REFERENCES remarks ON DELETE CASCADE,
    revision    int NOT NULL,
    seconds     double precision NOT NULL DEFAULT 0,
    slide       text NOT NULL DEFAULT '',
    who         text NOT NULL,
    author_id   bigint REFERENCES users ON DELETE SET NULL,
    text        text NOT NULL,
    done_at     timestamptz,
    created_at  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX remarks_order ON remarks (order_id, id);

-- An approval is of exactly one revision.
CREATE TABLE approvals (
    id          bigserial PRIMARY KEY,
    order_id    bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    delivery_id bigint REFERENCES deliveries ON DELETE SET NULL,
    revision    int NOT NULL,
    film        text NOT NULL,
    name        text NOT NULL,
    created_at  timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX approvals_order ON approvals (order_id, id);

-- Reminders that were sent, so that none is sent twice.
CREATE TABLE reminders (
    order_id bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    days     int NOT NULL,
    due      date NOT NULL,
    sent_at  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (order_id, days, due)
);

-- +goose Down
DROP TABLE reminders;
DROP TABLE approvals;
DROP TABLE remarks;
ALTER TABLE orders DROP COLUMN asks_approval;
ALTER TABLE studio DROP COLUMN sites;
DELETE FROM deliveries WHERE kind = 'proof';
ALTER TABLE deliveries DROP CONSTRAINT deliveries_kind_check;
ALTER TABLE deliveries ADD CONSTRAINT deliveries_kind_check CHECK (kind IN ('file', 'disc', 'link', 'upload'));
ALTER TABLE renders DROP COLUMN stream, DROP COLUMN stream_list, DROP COLUMN watermark;
DROP TABLE link_devices;
ALTER TABLE links DROP COLUMN note, DROP COLUMN password_hash, DROP COLUMN devices, DROP COLUMN embed, DROP COLUMN poster, DROP COLUMN downloads, DROP COLUMN proof;
