-- +goose Up

-- The second step of signing in: the secret that an authenticator shares, empty
-- for none, and the time step of the last code that was taken.
ALTER TABLE users ADD COLUMN totp_secret text NOT NULL DEFAULT '';
ALTER TABLE users ADD COLUMN totp_step bigint NOT NULL DEFAULT 0;
-- Accounts that were removed: a name for what they did, and nothing else.
ALTER TABLE users ADD COLUMN removed_at timestamptz;

-- Codes that stand in for an authenticator that is lost, each once.
CREATE TABLE recovery_codes (
    user_id bigint NOT NULL REFERENCES users ON DELETE CASCADE,
    hash    bytea NOT NULL,
    used_at timestamptz,
    PRIMARY KEY (user_id, hash)
);

-- Browsers that have signed in before.
CREATE TABLE known_devices (
    user_id bigint NOT NULL REFERENCES users ON DELETE CASCADE,
    hash    bytea NOT NULL,
    seen_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (user_id, hash)
);

-- By what it is known, when a worker is dead, whether it was killed or ended by
-- what it worked on: the boot it lived in, the file for its last words, and how
-- many processes the kernel had killed for want of memory when it began.
ALTER TABLE workers ADD COLUMN boot text NOT NULL DEFAULT '', ADD COLUMN witness text NOT NULL DEFAULT '', ADD COLUMN oom_kills bigint NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE workers DROP COLUMN oom_kills, DROP COLUMN witness, DROP COLUMN boot;
DROP TABLE known_devices;
DROP TABLE recovery_codes;
ALTER TABLE users DROP COLUMN removed_at;
ALTER TABLE users DROP COLUMN totp_step;
ALTER TABLE users DROP COLUMN totp_secret;
