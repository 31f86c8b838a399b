-- +goose Up
-- Answers for a Run's folders are steps that can be undone: which folder a medium came in is kept.
ALTER TABLE run_steps ADD COLUMN folders jsonb NOT NULL DEFAULT '[]';
ALTER TABLE media ADD COLUMN run_folder text NOT NULL DEFAULT '';
CREATE INDEX media_run_folder ON media (order_id, run_folder) WHERE run_folder <> '';
-- What is done with many rows goes on by itself, once, and says where it stands.
CREATE TABLE run_acts (
    id          bigserial PRIMARY KEY,
    run_id      bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
    author_id   bigint REFERENCES users ON DELETE SET NULL,
    author      text NOT NULL DEFAULT '',
    act         text NOT NULL,
    how         jsonb,
    rows        bigint[] NOT NULL,
    next        int NOT NULL DEFAULT 0,
    begun       int NOT NULL DEFAULT 0,
    left_out    jsonb,
    state       text NOT NULL,
    error       text NOT NULL DEFAULT '',
    seen        boolean NOT NULL DEFAULT false,
    created_at  timestamptz NOT NULL DEFAULT now(),
    finished_at timestamptz
);
CREATE INDEX run_acts_unseen ON run_acts (run_id) WHERE NOT seen;

-- +goose Down
DROP TABLE run_acts;
ALTER TABLE media DROP COLUMN run_folder;
ALTER TABLE run_steps DROP COLUMN folders;
