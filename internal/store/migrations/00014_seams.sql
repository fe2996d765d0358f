-- +goose Up
CREATE TABLE layout_versions (
  layout_id CHAR(36) NOT NULL,
  version BIGINT NOT NULL,
  document LONGTEXT NOT NULL,
  PRIMARY KEY (layout_id, version),
  FOREIGN KEY (layout_id) REFERENCES episodes (id) ON DELETE CASCADE
) COMMENT 'layouts as they were when an episode began as them, or was brought in line with them; which one, says its document';

-- +goose Down
DROP TABLE layout_versions;
