-- +goose Up

-- A session holds the era in which it began: with the next all sessions of before are over.
ALTER TABLE users ADD COLUMN session_era integer NOT NULL DEFAULT 0;
-- Who left the studio: what they did stays theirs.
ALTER TABLE users ADD COLUMN disabled_at timestamptz;

-- +goose Down
ALTER TABLE users DROP COLUMN disabled_at;
ALTER TABLE users DROP COLUMN session_era;
