-- +goose Up
CREATE TABLE versions (
  id CHAR(36) PRIMARY KEY,
  episode_id CHAR(36) NOT NULL,
  name VARCHAR(200) NOT NULL,
  version BIGINT NOT NULL COMMENT 'of the episode when it was kept',
  length BIGINT NOT NULL COMMENT 'frames at 48 kHz',
  document LONGTEXT NOT NULL,
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (episode_id, made_at),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
) COMMENT 'versions of documents that somebody has named, to return to';

-- +goose Down
DROP TABLE versions;
