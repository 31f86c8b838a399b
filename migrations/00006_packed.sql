-- +goose Up
ALTER TABLE revisions DROP COLUMN document;
ALTER TABLE revisions ALTER COLUMN packed SET NOT NULL;

-- +goose Down
ALTER TABLE revisions ALTER COLUMN packed DROP NOT NULL;
ALTER TABLE revisions ADD COLUMN document jsonb;
