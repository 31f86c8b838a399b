-- +goose Up

-- How many things there are to look at before rendering; null: not looked since
-- the order changed.
ALTER TABLE orders ADD COLUMN found integer;

-- +goose Down
ALTER TABLE orders DROP COLUMN found;
