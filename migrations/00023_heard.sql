-- +goose Up

-- What was heard in a song: its beats, bars, sections, where it goes on alike.
ALTER TABLE media ADD COLUMN heard jsonb;

-- +goose Down
ALTER TABLE media DROP COLUMN heard;
