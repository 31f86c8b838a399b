-- +goose Up

-- Keys of devices by which accounts sign in without a password (WebAuthn).
CREATE TABLE passkeys (
    id         bytea PRIMARY KEY,
    user_id    bigint NOT NULL REFERENCES users ON DELETE CASCADE,
    name       text NOT NULL,
    credential jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    used_at    timestamptz
);
CREATE INDEX passkeys_user ON passkeys (user_id);

-- +goose Down
DROP TABLE passkeys;
