-- +goose Up
-- What is wrong with the folder that is watched for an order or a Run; empty: nothing.
ALTER TABLE orders ADD COLUMN trouble text NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN trouble text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE orders DROP COLUMN trouble;
ALTER TABLE runs DROP COLUMN trouble;
