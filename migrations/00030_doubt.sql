-- +goose Up
-- What is to be looked at in a film that was made: clips whose decoder complained.
ALTER TABLE renders ADD COLUMN doubt text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE renders DROP COLUMN doubt;
