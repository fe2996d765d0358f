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

-- +goose Down
DROP TABLE orphans;
DROP TABLE layout_versions;
