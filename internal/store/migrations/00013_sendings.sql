-- +goose Up
CREATE TABLE sendings (
  id CHAR(36) PRIMARY KEY COMMENT 'that of its job',
  episode_id CHAR(36) NOT NULL,
  mixdown_id CHAR(36) NULL COMMENT 'none: the file was removed since',
  file VARCHAR(300) NOT NULL,
  host VARCHAR(40) NOT NULL,
  way VARCHAR(40) NOT NULL DEFAULT '',
  state ENUM('waiting', 'sending', 'sent', 'refused', 'failed') NOT NULL DEFAULT 'waiting',
  tries INT NOT NULL DEFAULT 0,
  said VARCHAR(1000) NOT NULL DEFAULT '' COMMENT 'what the host said last',
  again_at DATETIME(3) NULL COMMENT 'when it is tried again',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  ended_at DATETIME(3) NULL,
  KEY (episode_id, made_at),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE,
  FOREIGN KEY (mixdown_id) REFERENCES mixdowns (id) ON DELETE SET NULL
) COMMENT 'finished files that were sent elsewhere';

-- +goose Down
DROP TABLE sendings;
