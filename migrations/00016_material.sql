-- +goose Up

-- What comes in can wait until somebody accepts it.
ALTER TABLE media ADD COLUMN held boolean NOT NULL DEFAULT false;
ALTER TABLE orders ADD COLUMN holds boolean NOT NULL DEFAULT false;

-- The page on which a client brings material in and fills in the details.
CREATE TABLE client_pages (
    id         bigserial PRIMARY KEY,
    order_id   bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    token      text NOT NULL,
    token_hash bytea NOT NULL UNIQUE,
    files      integer NOT NULL,
    bytes      bigint NOT NULL,
    expires_at timestamptz NOT NULL,
    closed_at  timestamptz,
    details    jsonb NOT NULL DEFAULT '{}',
    said_at    timestamptz,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX client_pages_order ON client_pages (order_id);
ALTER TABLE media ADD COLUMN client_page_id bigint REFERENCES client_pages ON DELETE SET NULL;
CREATE INDEX media_client_page ON media (client_page_id) WHERE client_page_id IS NOT NULL;

-- Where photos can be fetched from.
ALTER TABLE studio ADD COLUMN photos text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE studio DROP COLUMN photos;
ALTER TABLE media DROP COLUMN client_page_id;
DROP TABLE client_pages;
ALTER TABLE orders DROP COLUMN holds;
ALTER TABLE media DROP COLUMN held;
