-- +goose Up

-- Who has an order open, and which slide they look at.
CREATE UNLOGGED TABLE presence (
    order_id bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    user_id  bigint NOT NULL REFERENCES users ON DELETE CASCADE,
    at       timestamptz NOT NULL,
    slide    text NOT NULL DEFAULT '',
    PRIMARY KEY (order_id, user_id)
);

-- What was done to an order beside its film: its client, event, due date.
CREATE TABLE order_steps (
    id       bigserial PRIMARY KEY,
    order_id bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    user_id  bigint REFERENCES users ON DELETE SET NULL,
    title    text NOT NULL,
    at       timestamptz NOT NULL
);
CREATE INDEX order_steps_order ON order_steps (order_id, id);

-- +goose Down
DROP TABLE order_steps;
DROP TABLE presence;
