-- +goose Up

-- What clients are written, in the studio's own words, by what it is about.
ALTER TABLE studio ADD COLUMN mails jsonb;

-- +goose Down
ALTER TABLE studio DROP COLUMN mails;
