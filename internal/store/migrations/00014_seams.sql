-- +goose Up
CREATE TABLE layout_versions (
  layout_id CHAR(36) NOT NULL,
  version BIGINT NOT NULL,
  document LONGTEXT NOT NULL,
  PRIMARY KEY (layout_id, version),
  FOREIGN KEY (layout_id) REFERENCES episodes (id) ON DELETE CASCADE
) COMMENT 'layouts as they were when an episode began as them, or was brought in line with them; which one, says its document';

CREATE TABLE orphans (
  file VARCHAR(200) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  since DATETIME(3) NOT NULL
) COMMENT 'files that nothing names any more, and since when: they go some time later';

-- A transcript may be long, and is read by whoever reads it alone.
ALTER TABLE links ADD COLUMN transcript LONGTEXT NULL COMMENT 'JSON, besides the page';
UPDATE links SET transcript = JSON_EXTRACT(page, '$.transcript'), page = JSON_MERGE_PATCH(page, '{"transcript": null, "told": true}') WHERE JSON_EXISTS(page, '$.transcript');
ALTER TABLE publications ADD COLUMN transcript LONGTEXT NULL COMMENT 'JSON, besides the page';
UPDATE publications SET transcript = JSON_EXTRACT(page, '$.transcript'), page = JSON_MERGE_PATCH(page, '{"transcript": null, "told": true}') WHERE JSON_EXISTS(page, '$.transcript');

-- +goose Down
UPDATE links SET page = JSON_SET(page, '$.transcript', JSON_EXTRACT(transcript, '$')) WHERE transcript IS NOT NULL;
UPDATE publications SET page = JSON_SET(page, '$.transcript', JSON_EXTRACT(transcript, '$')) WHERE transcript IS NOT NULL;
ALTER TABLE links DROP COLUMN transcript;
ALTER TABLE publications DROP COLUMN transcript;
DROP TABLE orphans;
DROP TABLE layout_versions;
