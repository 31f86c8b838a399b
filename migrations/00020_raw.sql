-- +goose Up

-- The file as it was received, where what is shown of it was taken out of it.
ALTER TABLE media ADD COLUMN original text REFERENCES blobs;
CREATE INDEX media_original ON media (original) WHERE original IS NOT NULL;

-- +goose Down
ALTER TABLE media DROP COLUMN original;
