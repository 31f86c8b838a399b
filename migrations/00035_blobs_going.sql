-- +goose Up
-- Files that are known no more and whose content is still to be removed.
CREATE TABLE blobs_going (sha256 text PRIMARY KEY);

-- +goose Down
DROP TABLE blobs_going;
