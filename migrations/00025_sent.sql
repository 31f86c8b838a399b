-- +goose Up

-- When a file was sent, as whoever sent it says: files that are sent together arrive in
-- any order. Unknown for what came otherwise, which has the time at which it arrived.
ALTER TABLE media ADD COLUMN sent_at timestamptz;

-- +goose Down
ALTER TABLE media DROP COLUMN sent_at;
