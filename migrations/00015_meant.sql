-- +goose Up

-- Doubts about an order's film that somebody has marked as meant.
CREATE TABLE meant (
    order_id bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    key      text NOT NULL,
    user_id  bigint REFERENCES users ON DELETE SET NULL,
    at       timestamptz NOT NULL,
    PRIMARY KEY (order_id, key)
);

-- What a medium is worth to the operator: stars, and whether it is out.
ALTER TABLE media ADD COLUMN stars smallint NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE media DROP COLUMN stars;
DROP TABLE meant;
