-- +goose Up
-- A Run: one pattern, one list, one set of folders.
ALTER TABLE runs
    ADD COLUMN event       text NOT NULL DEFAULT '',
    ADD COLUMN due         date NOT NULL DEFAULT CURRENT_DATE,
    ADD COLUMN list        jsonb,                       -- as it was brought in last, with what its columns are for
    ADD COLUMN pending     jsonb,                       -- a list that waits to be agreed to
    ADD COLUMN given       int NOT NULL DEFAULT 0,      -- revision of the pattern that all rows follow
    ADD COLUMN seen_as     bigint REFERENCES orders ON DELETE SET NULL,
    ADD COLUMN file_names  text NOT NULL DEFAULT '',
    ADD COLUMN mail        jsonb,
    ADD COLUMN watches     text NOT NULL DEFAULT '',    -- folder whose files are brought in
    ADD COLUMN said         text NOT NULL DEFAULT '',    -- what could not be done with a file that came
    ADD COLUMN paused_at   timestamptz,
    ADD COLUMN archived_at timestamptz;
CREATE INDEX runs_pattern ON runs (pattern_id);
CREATE INDEX runs_seen_as ON runs (seen_as);

-- What a row of a Run is there.
ALTER TABLE orders
    ADD COLUMN run_key      text NOT NULL DEFAULT '',
    ADD COLUMN run_position int NOT NULL DEFAULT 0,
    ADD COLUMN run_listed   jsonb,                      -- as the list had it last, by what columns are for
    ADD COLUMN run_values   jsonb,                      -- what no other column of orders holds
    ADD COLUMN run_cells    jsonb,                      -- all of the list's cells, by heading
    ADD COLUMN aside_at     timestamptz,                -- gone from the list since
    ADD COLUMN pictures     int NOT NULL DEFAULT 0,
    ADD COLUMN sees         jsonb,                      -- what the checks see, by place
    ADD COLUMN own          jsonb;                      -- parts of a row's film that are not the pattern's
CREATE UNIQUE INDEX orders_run_key ON orders (run_id, run_key) WHERE run_id IS NOT NULL AND deleted_at IS NULL;

-- Folders of material, and the row each belongs to.
CREATE TABLE run_folders (
    run_id    bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    name      text NOT NULL,
    order_id  bigint REFERENCES orders ON DELETE SET NULL,
    sure      int NOT NULL DEFAULT 0,                   -- as in core/list
    likely    bigint REFERENCES orders ON DELETE SET NULL,
    runner_up bigint REFERENCES orders ON DELETE SET NULL,
    why       text NOT NULL DEFAULT '',
    passed    boolean NOT NULL DEFAULT false,           -- someone said that it belongs to none
    PRIMARY KEY (run_id, name)
);
CREATE INDEX run_folders_order ON run_folders (order_id);
CREATE INDEX run_folders_likely ON run_folders (likely);
CREATE INDEX run_folders_runner_up ON run_folders (runner_up);

-- Files that came for a Run and wait to be given to a row.
CREATE TABLE run_files (
    id        bigserial PRIMARY KEY,
    run_id    bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    folder    text NOT NULL,                            -- empty: the root
    name      text NOT NULL,
    upload_id text NOT NULL UNIQUE,
    sha256    text NOT NULL REFERENCES blobs,
    size      bigint NOT NULL
);
CREATE INDEX run_files_folder ON run_files (run_id, folder);
CREATE INDEX run_files_sha256 ON run_files (sha256);

-- What was done to rows of a Run, so that it can be undone.
CREATE TABLE run_steps (
    id         bigserial PRIMARY KEY,
    run_id     bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    author_id  bigint REFERENCES users ON DELETE SET NULL,
    title      text NOT NULL,
    cells      jsonb NOT NULL,
    undone     boolean NOT NULL DEFAULT false,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX run_steps_run ON run_steps (run_id, id);

-- Links of a Run are printed on cards and listed, more than once: their tokens
-- are kept until they expire or are closed. What a client is written is kept
-- with the link.
ALTER TABLE links ADD COLUMN kept_token text NOT NULL DEFAULT '', ADD COLUMN mail_subject text NOT NULL DEFAULT '', ADD COLUMN mail_text text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE links DROP COLUMN kept_token, DROP COLUMN mail_subject, DROP COLUMN mail_text;
DROP TABLE run_steps;
DROP TABLE run_files;
DROP TABLE run_folders;
DROP INDEX orders_run_key;
ALTER TABLE orders DROP COLUMN run_key, DROP COLUMN run_position, DROP COLUMN run_listed, DROP COLUMN run_values, DROP COLUMN run_cells, DROP COLUMN aside_at, DROP COLUMN pictures, DROP COLUMN sees, DROP COLUMN own;
DROP INDEX runs_seen_as;
DROP INDEX runs_pattern;
ALTER TABLE runs DROP COLUMN event, DROP COLUMN due, DROP COLUMN list, DROP COLUMN pending, DROP COLUMN given, DROP COLUMN seen_as, DROP COLUMN file_names, DROP COLUMN mail, DROP COLUMN watches, DROP COLUMN said, DROP COLUMN paused_at, DROP COLUMN archived_at;
