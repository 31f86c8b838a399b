-- +goose Up

-- What cards of the studio's own say.
ALTER TABLE studio ADD COLUMN contact text NOT NULL DEFAULT '';
ALTER TABLE studio ADD COLUMN credits text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE studio DROP COLUMN contact;
ALTER TABLE studio DROP COLUMN credits;
