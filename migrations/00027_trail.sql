-- +goose Up

-- Who did what. Rows outlive what they are about: they name it by number.
CREATE TABLE trail (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at       timestamptz NOT NULL DEFAULT now(),
    what     text NOT NULL,
    words    text NOT NULL DEFAULT '',
    user_id  bigint REFERENCES users ON DELETE SET NULL,
    who      text NOT NULL,
    order_id bigint,
    run_id   bigint,
    address  text NOT NULL DEFAULT '',
    request  text NOT NULL DEFAULT ''
);
CREATE INDEX trail_at ON trail (at);
CREATE INDEX trail_order ON trail (order_id, id) WHERE order_id IS NOT NULL;
CREATE INDEX trail_what ON trail (what, id);
CREATE INDEX trail_user ON trail (user_id, id);

-- For how many days what was deleted, put away or noted is kept; 0: for good.
ALTER TABLE studio ADD COLUMN keep_deleted integer NOT NULL DEFAULT 30;
ALTER TABLE studio ADD COLUMN keep_archived integer NOT NULL DEFAULT 0;
ALTER TABLE studio ADD COLUMN keep_trail integer NOT NULL DEFAULT 730;

-- What was found when a file was read back, and when that was.
ALTER TABLE media ADD COLUMN damage text NOT NULL DEFAULT '';
ALTER TABLE media ADD COLUMN verified_at timestamptz;

-- +goose Down
ALTER TABLE media DROP COLUMN verified_at;
ALTER TABLE media DROP COLUMN damage;
ALTER TABLE studio DROP COLUMN keep_trail;
ALTER TABLE studio DROP COLUMN keep_archived;
ALTER TABLE studio DROP COLUMN keep_deleted;
DROP TABLE trail;
