-- +goose Up

-- Settings of slides that the studio has kept under a name.
CREATE TABLE presets (
    name     text PRIMARY KEY,
    settings jsonb NOT NULL
);

-- +goose Down
DROP TABLE presets;
