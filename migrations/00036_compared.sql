-- +goose Up
-- The segment's frames were decoded and compared with what is drawn.
ALTER TABLE segments ADD COLUMN compared boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE segments DROP COLUMN compared;
