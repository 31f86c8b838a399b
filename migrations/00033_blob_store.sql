-- +goose Up
-- What the store of files is known by: the mark that it carries.
CREATE TABLE blob_store (
	one boolean PRIMARY KEY DEFAULT true CHECK (one),
	id text NOT NULL CHECK (id <> ''),
	written boolean NOT NULL DEFAULT false
);

-- +goose Down
DROP TABLE blob_store;
