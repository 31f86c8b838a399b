-- +goose Up

-- Profiles of the studio's own stand beside the shipped ones, which follow the
-- program. Those that were used last are at hand.
ALTER TABLE profiles ADD COLUMN own boolean NOT NULL DEFAULT false, ADD COLUMN used_at timestamptz;

-- Several files of a slideshow are made at once: those drawn with another name
-- it. The main one is the order's film, the others are beside it.
ALTER TABLE renders ADD COLUMN lead_id bigint REFERENCES renders ON DELETE SET NULL, ADD COLUMN main boolean NOT NULL DEFAULT true;
CREATE INDEX renders_lead ON renders (lead_id) WHERE lead_id IS NOT NULL;

-- The language of words and sound in the studio's films, as ISO 639-2 has it.
ALTER TABLE studio ADD COLUMN language text NOT NULL DEFAULT 'eng';

-- +goose Down
ALTER TABLE studio DROP COLUMN language;
DROP INDEX renders_lead;
DELETE FROM renders WHERE NOT main;
ALTER TABLE renders DROP COLUMN lead_id, DROP COLUMN main;
DELETE FROM profiles WHERE own;
ALTER TABLE profiles DROP COLUMN own, DROP COLUMN used_at;
