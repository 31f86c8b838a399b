-- +goose Up
CREATE TABLE studio (
    id     int PRIMARY KEY CHECK (id = 1),
    name   text NOT NULL,
    demo   boolean NOT NULL DEFAULT false
);
INSERT INTO studio (id, name) VALUES (1, 'Our studio');

CREATE TABLE users (
    id            bigserial PRIMARY KEY,
    email         text NOT NULL,
    name          text NOT NULL,
    role          text NOT NULL CHECK (role IN ('owner', 'operator')),
    password_hash text NOT NULL,
    created_at    timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX users_email ON users (lower(email));

-- The table alexedwards/scs keeps its sessions in.
CREATE TABLE sessions (
    token  text PRIMARY KEY,
    data   bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

CREATE TABLE orders (
    id           bigserial PRIMARY KEY,
    client       text NOT NULL,
    client_email text NOT NULL DEFAULT '',
    event        text NOT NULL,
    due          date NOT NULL,
    created_at   timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE blobs (
    sha256     text PRIMARY KEY,
    size       bigint NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE media (
    id         bigserial PRIMARY KEY,
    order_id   bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    upload_id  text NOT NULL UNIQUE,
    name       text NOT NULL,
    sha256     text NOT NULL REFERENCES blobs,
    size       bigint NOT NULL,
    state      text NOT NULL CHECK (state IN ('waiting', 'ready', 'refused')),
    reason     text NOT NULL DEFAULT '',
    kind       text NOT NULL DEFAULT '',
    width      int NOT NULL DEFAULT 0,
    height     int NOT NULL DEFAULT 0,
    captured   timestamptz,
    samples    bigint NOT NULL DEFAULT 0,
    lufs       double precision NOT NULL DEFAULT 0,
    peak_db    double precision NOT NULL DEFAULT 0,
    waveform   bytea,
    thumbnail  text REFERENCES blobs,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX media_order ON media (order_id);

CREATE TABLE slideshows (
    id       bigserial PRIMARY KEY,
    order_id bigint NOT NULL UNIQUE REFERENCES orders ON DELETE CASCADE,
    head     int NOT NULL
);

-- Every edit is a revision; undo moves the head to the parent, redo to the
-- newest child. Revisions are never changed.
CREATE TABLE revisions (
    slideshow_id bigint NOT NULL REFERENCES slideshows ON DELETE CASCADE,
    number       int NOT NULL,
    parent       int NOT NULL,
    title        text NOT NULL,
    author_id    bigint REFERENCES users ON DELETE SET NULL,
    document     jsonb NOT NULL,
    created_at   timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (slideshow_id, number)
);

CREATE TABLE renders (
    id           bigserial PRIMARY KEY,
    order_id     bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    slideshow_id bigint NOT NULL REFERENCES slideshows ON DELETE CASCADE,
    revision     int NOT NULL,
    profile      text NOT NULL,
    state        text NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')),
    worker       text NOT NULL DEFAULT '',
    attempt      int NOT NULL DEFAULT 0,
    frames_done  bigint NOT NULL DEFAULT 0,
    frames_total bigint NOT NULL DEFAULT 0,
    error        text NOT NULL DEFAULT '',
    sha256       text REFERENCES blobs,
    poster       text REFERENCES blobs,
    size         bigint NOT NULL DEFAULT 0,
    seconds      double precision NOT NULL DEFAULT 0,
    created_at   timestamptz NOT NULL DEFAULT now(),
    started_at   timestamptz,
    finished_at  timestamptz
);
CREATE INDEX renders_order ON renders (order_id);

CREATE TABLE links (
    id           bigserial PRIMARY KEY,
    order_id     bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    render_id    bigint NOT NULL REFERENCES renders ON DELETE CASCADE,
    token_hash   bytea NOT NULL UNIQUE,
    title        text NOT NULL,
    downloadable boolean NOT NULL,
    expires_at   timestamptz NOT NULL,
    closed_at    timestamptz,
    views        bigint NOT NULL DEFAULT 0,
    last_view    timestamptz,
    mailed_to    text NOT NULL DEFAULT '',
    mailed_at    timestamptz,
    mail_error   text NOT NULL DEFAULT '',
    created_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX links_order ON links (order_id);

-- A worker process that has not been seen for a while is taken for dead and
-- its jobs go back to the queue.
CREATE TABLE workers (
    id         text PRIMARY KEY,
    started_at timestamptz NOT NULL DEFAULT now(),
    seen_at    timestamptz NOT NULL DEFAULT now()
);

-- The stand-in mailbox.
CREATE TABLE standin_mail (
    id          bigserial PRIMARY KEY,
    received_at timestamptz NOT NULL DEFAULT now(),
    sender      text NOT NULL,
    recipient   text NOT NULL,
    subject     text NOT NULL,
    body        text NOT NULL
);

-- +goose Down
DROP TABLE standin_mail, workers, links, renders, revisions, slideshows, media, blobs, orders, sessions, users, studio;
