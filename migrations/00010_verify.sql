-- +goose Up

-- Files of films are read back and compared with their sums now and then; what
-- was damaged is made again. A render made again names the one it stands for.
ALTER TABLE renders
    ADD COLUMN verified_at timestamptz,
    ADD COLUMN damage text NOT NULL DEFAULT '',
    ADD COLUMN again_of bigint REFERENCES renders ON DELETE SET NULL,
    ADD COLUMN differs text NOT NULL DEFAULT '';
CREATE INDEX renders_again ON renders (again_of) WHERE again_of IS NOT NULL;

-- +goose Down
DROP INDEX renders_again;
ALTER TABLE renders DROP COLUMN verified_at, DROP COLUMN damage, DROP COLUMN again_of, DROP COLUMN differs;
