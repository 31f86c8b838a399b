-- +goose Up
-- What stands on drafts, and small in a corner of finished films.
ALTER TABLE studio ADD COLUMN watermark text NOT NULL DEFAULT 'Draft';
ALTER TABLE studio ADD COLUMN mark text NOT NULL DEFAULT '';
ALTER TABLE studio ADD COLUMN mark_picture jsonb;
-- A render keeps the mark it was begun with, so that all its workers draw the
-- same frames.
ALTER TABLE renders ADD COLUMN mark text NOT NULL DEFAULT '';
ALTER TABLE renders ADD COLUMN mark_picture jsonb;

-- +goose Down
ALTER TABLE renders DROP COLUMN mark, DROP COLUMN mark_picture;
ALTER TABLE studio DROP COLUMN mark, DROP COLUMN mark_picture, DROP COLUMN watermark;
