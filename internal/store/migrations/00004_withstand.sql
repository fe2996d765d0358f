-- +goose Up
ALTER TABLE jobs
  ADD COLUMN owner VARCHAR(36) NOT NULL DEFAULT '' COMMENT 'the house that is doing it',
  ADD COLUMN lease DATETIME(3) NULL COMMENT 'until when it is the owner''s alone, unless that renews it',
  ADD COLUMN attempts INT NOT NULL DEFAULT 0 COMMENT 'how often it was begun',
  ADD COLUMN ended_at DATETIME(3) NULL,
  ADD KEY (state, lease);
UPDATE jobs SET ended_at = CURRENT_TIMESTAMP(3) WHERE state NOT IN ('queued', 'running');

CREATE TABLE snapshots (
  episode_id CHAR(36) NOT NULL,
  version BIGINT NOT NULL,
  document LONGTEXT NOT NULL,
  kept_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (episode_id, version),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
) COMMENT 'versions of documents that jobs work on';

ALTER TABLE takes
  ADD COLUMN silenced BIGINT NOT NULL DEFAULT 0 COMMENT 'samples that were no numbers',
  ADD COLUMN changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3);

-- +goose Down
ALTER TABLE takes DROP COLUMN silenced, DROP COLUMN changed_at;
DROP TABLE snapshots;
ALTER TABLE jobs DROP KEY state, DROP COLUMN owner, DROP COLUMN lease, DROP COLUMN attempts, DROP COLUMN ended_at;
