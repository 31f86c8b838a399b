-- +goose Up

-- The studio's own music. The file is a medium that belongs to no order.
CREATE TABLE music (
	media_id bigint PRIMARY KEY REFERENCES media (id) ON DELETE CASCADE,
	mood text NOT NULL DEFAULT '',
	occasion text NOT NULL DEFAULT '',
	favourite boolean NOT NULL DEFAULT false,
	licence text NOT NULL DEFAULT '',
	licence_until date,
	added_at timestamptz NOT NULL DEFAULT now()
);

-- Narration is placed where it was spoken, in seconds of the film.
ALTER TABLE media ADD COLUMN spoken_at double precision;

-- +goose Down
ALTER TABLE media DROP COLUMN spoken_at;
DROP TABLE music;
