-- +goose Up
-- A chapter could have a picture of another show. Now it is one of its own show, which is given it.
INSERT INTO pictures (show_id, id, type, size, bytes)
SELECT DISTINCT used.show_id, p.id, p.type, p.size, p.bytes
FROM (
  SELECT show_id, document FROM episodes WHERE document LIKE '%"picture":"%'
  UNION ALL
  SELECT e.show_id, v.document FROM versions v JOIN episodes e ON e.id = v.episode_id WHERE v.document LIKE '%"picture":"%'
) used
JOIN pictures p ON INSTR(used.document, CONCAT('"picture":"', p.id, '"')) > 0 AND p.show_id <> used.show_id
ON DUPLICATE KEY UPDATE pictures.id = pictures.id;
ALTER TABLE pictures ADD KEY by_id (id);

-- +goose Down
ALTER TABLE pictures DROP KEY by_id;
