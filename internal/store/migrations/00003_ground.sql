-- +goose Up
ALTER TABLE episodes
  ADD COLUMN next_id BIGINT NOT NULL DEFAULT 1 COMMENT 'no id of the episode, gone ones included, has this number or a higher one';

-- Steps that were undone may hold numbers that the document has gone back behind.
UPDATE episodes SET changed_at = changed_at, next_id = GREATEST(
  CAST(JSON_VALUE(document, '$.next') AS UNSIGNED),
  COALESCE((SELECT MAX(CAST(REGEXP_SUBSTR(REGEXP_SUBSTR(forward, '"path":"/next","value":[0-9]+'), '[0-9]+$') AS UNSIGNED)) FROM history WHERE episode_id = episodes.id), 1)
);

-- +goose Down
ALTER TABLE episodes DROP COLUMN next_id;
