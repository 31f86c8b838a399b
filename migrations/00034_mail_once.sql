-- +goose Up
-- When a mail that tells of a link began to be handed to the mail server, by which it is
-- named, and by which job; empty once it is known what became of it.
ALTER TABLE links ADD COLUMN mail_begun_at timestamptz;
ALTER TABLE links ADD COLUMN mail_job bigint NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE links DROP COLUMN mail_begun_at;
ALTER TABLE links DROP COLUMN mail_job;
