-- +goose Up
-- What is to be looked at in a film that was made: clips whose decoder complained.
ALTER TABLE renders ADD COLUMN doubt text NOT NULL DEFAULT '';
-- The revision a film was queued at, where it was made of a later one.
ALTER TABLE renders ADD COLUMN queued int NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE renders DROP COLUMN queued;
ALTER TABLE renders DROP COLUMN doubt;
