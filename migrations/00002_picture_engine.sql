-- +goose Up
-- What framing needs to know of a picture, as JSON: faces, focus, print.
ALTER TABLE media ADD COLUMN seen jsonb;
-- A copy of a large photo small enough to be read at once, for previews.
ALTER TABLE media ADD COLUMN proxy text REFERENCES blobs;

-- Encoded segments and soundtracks by what they depend on. The least recently
-- used go when there are too many; the blob goes with its last row.
CREATE TABLE segments (
    key     text PRIMARY KEY,
    sha256  text NOT NULL REFERENCES blobs,
    size    bigint NOT NULL,
    used_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX segments_used ON segments (used_at);
CREATE INDEX segments_blob ON segments (sha256);

-- The parts of a render: runs of segments that one encoder makes. Any worker
-- may take one.
CREATE TABLE render_parts (
    render_id   bigint NOT NULL REFERENCES renders ON DELETE CASCADE,
    attempt     int NOT NULL,
    number      int NOT NULL,
    first       int NOT NULL,
    last        int NOT NULL,
    frames      bigint NOT NULL,
    frames_done bigint NOT NULL DEFAULT 0,
    state       text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done')),
    worker      text NOT NULL DEFAULT '',
    error       text NOT NULL DEFAULT '',
    PRIMARY KEY (render_id, attempt, number)
);

ALTER TABLE renders ADD COLUMN frames_kept bigint NOT NULL DEFAULT 0;

-- A studio's own settings of transitions, by name.
CREATE TABLE transitions (
    name    text PRIMARY KEY,
    setting jsonb NOT NULL
);

-- +goose Down
DROP TABLE transitions, render_parts, segments;
ALTER TABLE renders DROP COLUMN frames_kept;
ALTER TABLE media DROP COLUMN seen, DROP COLUMN proxy;
