-- +goose Up
CREATE EXTENSION IF NOT EXISTS pg_trgm;

-- An order's details are its own; all its slideshows print them. What the day
-- sheet shows is kept here when it changes, not worked out when it is looked
-- at.
ALTER TABLE orders
    ADD COLUMN details         jsonb NOT NULL DEFAULT '{}',
    ADD COLUMN archived_at     timestamptz,
    ADD COLUMN deleted_at      timestamptz,
    ADD COLUMN run_id          bigint,
    ADD COLUMN step_kind       text NOT NULL DEFAULT '',
    ADD COLUMN step_text       text NOT NULL DEFAULT '',
    ADD COLUMN step_place      text NOT NULL DEFAULT '',
    ADD COLUMN picture_seconds double precision NOT NULL DEFAULT 0,
    ADD COLUMN music_seconds   double precision NOT NULL DEFAULT 0,
    ADD COLUMN strip           bigint[] NOT NULL DEFAULT '{}',
    ADD COLUMN words           text NOT NULL DEFAULT '';

-- A Run: many orders made from one pattern, itself an order.
CREATE TABLE runs (
    id         bigserial PRIMARY KEY,
    name       text NOT NULL,
    pattern_id bigint REFERENCES orders ON DELETE SET NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE orders ADD CONSTRAINT orders_run FOREIGN KEY (run_id) REFERENCES runs ON DELETE SET NULL;
CREATE INDEX orders_run_id ON orders (run_id) WHERE run_id IS NOT NULL;
CREATE INDEX orders_sheet ON orders ((step_kind = 'done'), due, id) WHERE archived_at IS NULL AND deleted_at IS NULL;
CREATE INDEX orders_words ON orders USING gin (words gin_trgm_ops);
CREATE INDEX orders_deleted ON orders (deleted_at) WHERE deleted_at IS NOT NULL;

-- An order has one or more slideshows, one for each frame shape.
ALTER TABLE slideshows DROP CONSTRAINT slideshows_order_id_key;
ALTER TABLE slideshows ADD COLUMN position int NOT NULL DEFAULT 0;
ALTER TABLE slideshows ADD CONSTRAINT slideshows_position UNIQUE (order_id, position);

-- Media belong to an order, to a Run or, with neither, to the studio.
ALTER TABLE media ALTER COLUMN order_id DROP NOT NULL;
ALTER TABLE media ADD COLUMN run_id bigint REFERENCES runs ON DELETE CASCADE;
ALTER TABLE media ADD CONSTRAINT media_owner CHECK (num_nonnulls(order_id, run_id) <= 1);
CREATE INDEX media_run ON media (run_id) WHERE run_id IS NOT NULL;
CREATE INDEX media_sha256 ON media (sha256);
CREATE INDEX media_thumbnail ON media (thumbnail) WHERE thumbnail IS NOT NULL;
CREATE INDEX media_proxy ON media (proxy) WHERE proxy IS NOT NULL;

-- When a blob was last given to someone: it may be about to be referred to.
ALTER TABLE blobs ADD COLUMN touched_at timestamptz NOT NULL DEFAULT now();
CREATE INDEX blobs_touched ON blobs (touched_at);

-- Every version of a theme that was ever on the shelf, by content, with its
-- files as a zip.
CREATE TABLE theme_versions (
    content    text PRIMARY KEY,
    theme      text NOT NULL,
    version    text NOT NULL,
    archive    text NOT NULL REFERENCES blobs,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX theme_versions_archive ON theme_versions (archive);

-- Ways of encoding.
CREATE TABLE profiles (
    name     text PRIMARY KEY,
    position int NOT NULL DEFAULT 0,
    setting  jsonb NOT NULL
);

-- A render keeps all it was begun with but the document: the profile, the
-- details, and who draws it.
ALTER TABLE renders
    ADD COLUMN setting jsonb,
    ADD COLUMN details jsonb,
    ADD COLUMN tools   text NOT NULL DEFAULT '',
    ADD COLUMN film    text NOT NULL DEFAULT '';
CREATE INDEX renders_slideshow ON renders (slideshow_id);
CREATE INDEX renders_sha256 ON renders (sha256) WHERE sha256 IS NOT NULL;
CREATE INDEX renders_poster ON renders (poster) WHERE poster IS NOT NULL;
CREATE INDEX renders_open ON renders (state) WHERE state IN ('waiting', 'running');
ALTER TABLE render_parts ADD COLUMN tries int NOT NULL DEFAULT 0;

-- A worker tells the versions of its tools, and why it takes no part.
ALTER TABLE workers ADD COLUMN tools text NOT NULL DEFAULT '', ADD COLUMN note text NOT NULL DEFAULT '';

-- What a client gets: of one or several renders, with its history.
CREATE TABLE deliveries (
    id         bigserial PRIMARY KEY,
    order_id   bigint NOT NULL REFERENCES orders ON DELETE CASCADE,
    kind       text NOT NULL CHECK (kind IN ('file', 'disc', 'link', 'upload')),
    state      text NOT NULL CHECK (state IN ('wanted', 'waiting', 'running', 'done', 'failed', 'closed')),
    title      text NOT NULL DEFAULT '',
    proof      text NOT NULL DEFAULT '',
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX deliveries_order ON deliveries (order_id);
CREATE TABLE delivery_renders (
    delivery_id bigint NOT NULL REFERENCES deliveries ON DELETE CASCADE,
    render_id   bigint NOT NULL REFERENCES renders ON DELETE CASCADE,
    position    int NOT NULL DEFAULT 0,
    PRIMARY KEY (delivery_id, render_id)
);
CREATE INDEX delivery_renders_render ON delivery_renders (render_id);
CREATE TABLE delivery_events (
    id          bigserial PRIMARY KEY,
    delivery_id bigint NOT NULL REFERENCES deliveries ON DELETE CASCADE,
    at          timestamptz NOT NULL DEFAULT now(),
    text        text NOT NULL
);
CREATE INDEX delivery_events_delivery ON delivery_events (delivery_id);

-- Links of before become deliveries of the kind link. unsent_token is the
-- token of a link that is still to be mailed; nobody keeps it afterwards.
ALTER TABLE links ADD COLUMN delivery_id bigint REFERENCES deliveries ON DELETE CASCADE, ADD COLUMN unsent_token text NOT NULL DEFAULT '';
INSERT INTO deliveries (id, order_id, kind, state, title, created_at)
    SELECT id, order_id, 'link', CASE WHEN closed_at IS NULL THEN 'done' ELSE 'closed' END, title, created_at FROM links;
SELECT setval('deliveries_id_seq', greatest((SELECT max(id) FROM deliveries), 1));
INSERT INTO delivery_renders (delivery_id, render_id) SELECT id, render_id FROM links;
INSERT INTO delivery_events (delivery_id, at, text) SELECT id, created_at, 'Made the link' FROM links;
INSERT INTO delivery_events (delivery_id, at, text) SELECT id, mailed_at, 'Mailed to ' || mailed_to FROM links WHERE mailed_at IS NOT NULL;
INSERT INTO delivery_events (delivery_id, at, text) SELECT id, closed_at, 'Closed the link' FROM links WHERE closed_at IS NOT NULL;
UPDATE links SET delivery_id = id;
ALTER TABLE links ALTER COLUMN delivery_id SET NOT NULL, DROP COLUMN order_id, DROP COLUMN render_id, DROP COLUMN title;
CREATE UNIQUE INDEX links_delivery ON links (delivery_id);

-- Tokens do not stay in jobs that are over; those still to be mailed move.
-- +goose StatementBegin
DO $$ BEGIN
    IF to_regclass('river_job') IS NOT NULL THEN
        UPDATE links SET unsent_token = args->>'token' FROM river_job
            WHERE kind = 'send_link' AND args ? 'token' AND state NOT IN ('completed', 'cancelled', 'discarded') AND links.id = (args->>'link_id')::bigint;
        UPDATE river_job SET args = args - 'token' WHERE kind = 'send_link';
        -- Jobs that wait move to the queues their kinds have now.
        UPDATE river_job SET queue = CASE kind WHEN 'ingest' THEN 'reading' WHEN 'pour' THEN 'pours' WHEN 'send_link' THEN 'mail' ELSE queue END
            WHERE queue = 'quick' AND state NOT IN ('completed', 'cancelled', 'discarded');
    END IF;
END $$;
-- +goose StatementEnd

-- Revisions are packed, and carry the details as they were.
ALTER TABLE revisions ADD COLUMN packed bytea, ADD COLUMN base int, ADD COLUMN details jsonb NOT NULL DEFAULT '{}';
ALTER TABLE revisions ALTER COLUMN document DROP NOT NULL;
CREATE INDEX revisions_parent ON revisions (slideshow_id, parent);

-- +goose Down
-- +goose StatementBegin
DO $$ BEGIN RAISE EXCEPTION 'a house for many films cannot be made one film''s again; restore a backup'; END $$;
-- +goose StatementEnd
