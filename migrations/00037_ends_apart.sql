-- +goose Up
-- That pictures and music end apart is a kind of check, and no longer known by its words.
UPDATE orders SET sees = (
    SELECT jsonb_agg(
        CASE WHEN x->>'place' = 'fit' AND x->>'text' ~ '^(Music|Pictures) ' THEN x || '{"kind": "apart"}' ELSE x END
        ORDER BY n)
    FROM jsonb_array_elements(sees) WITH ORDINALITY AS e(x, n))
WHERE jsonb_typeof(sees) = 'array' AND sees @> '[{"place": "fit"}]';

-- +goose Down
UPDATE orders SET sees = (
    SELECT jsonb_agg(CASE WHEN x->>'kind' = 'apart' THEN x - 'kind' ELSE x END ORDER BY n)
    FROM jsonb_array_elements(sees) WITH ORDINALITY AS e(x, n))
WHERE jsonb_typeof(sees) = 'array' AND sees @> '[{"kind": "apart"}]';
