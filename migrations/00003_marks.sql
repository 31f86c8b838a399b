-- +goose Up
-- What stands on drafts, and small in a corner of finished films.
ALTER TABLE studio ADD COLUMN watermark text NOT NULL DEFAULT 'Draft';
ALTER TABLE studio ADD COLUMN mark text NOT NULL DEFAULT '';
-- A render keeps the mark it was begun with, so that all its workers draw the
-- same frames.
ALTER TABLE renders ADD COLUMN mark text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE renders DROP COLUMN mark;
ALTER TABLE studio DROP COLUMN mark, DROP COLUMN watermark;
