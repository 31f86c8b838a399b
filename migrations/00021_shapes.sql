-- +goose Up

-- The further frame shape a film is made in, as 1080x1920; empty: the first.
ALTER TABLE renders ADD COLUMN shape text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE renders DROP COLUMN shape;
