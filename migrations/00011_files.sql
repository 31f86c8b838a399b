-- +goose Up

-- The studio's folder, into which films are put as files: any address of a blob
-- store, and the pattern of their names.
ALTER TABLE studio ADD COLUMN folder text NOT NULL DEFAULT '', ADD COLUMN file_names text NOT NULL DEFAULT '';

-- A film put into a folder. An older file of the same name is never written over
-- unless someone said so.
CREATE TABLE placements (
    delivery_id bigint PRIMARY KEY REFERENCES deliveries ON DELETE CASCADE,
    render_id   bigint NOT NULL REFERENCES renders ON DELETE CASCADE,
    folder      text NOT NULL,
    name        text NOT NULL,
    instead     boolean NOT NULL DEFAULT false,
    older       text NOT NULL DEFAULT '',
    error       text NOT NULL DEFAULT '',
    size        bigint NOT NULL DEFAULT 0,
    placed_at   timestamptz
);
CREATE INDEX placements_render ON placements (render_id);

-- +goose Down
DROP TABLE placements;
DELETE FROM deliveries WHERE kind = 'file';
ALTER TABLE studio DROP COLUMN folder, DROP COLUMN file_names;
