-- +goose Up
ALTER TABLE shows
  ADD COLUMN details TEXT NULL COMMENT 'what is said of all its episodes, JSON',
  ADD COLUMN targets TEXT NULL COMMENT 'delivery targets of its own, JSON';
ALTER TABLE episodes
  ADD COLUMN details TEXT NULL COMMENT 'what is said of it besides its description and language, JSON';
ALTER TABLE mixdowns
  ADD COLUMN made TEXT NULL COMMENT 'what was wanted and what was done, JSON; none: of a version that did not keep it',
  ADD COLUMN document LONGTEXT NULL COMMENT 'that it was made from';
CREATE TABLE pictures (
  show_id CHAR(36) NOT NULL,
  id CHAR(64) NOT NULL COMMENT 'SHA-256 of its bytes, which are in the bucket',
  type VARCHAR(20) NOT NULL,
  size INT NOT NULL COMMENT 'pixels of each side',
  bytes BIGINT NOT NULL,
  added_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (show_id, id),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE
) COMMENT 'artwork of shows, episodes and chapters';

-- +goose Down
DROP TABLE pictures;
ALTER TABLE mixdowns DROP COLUMN made, DROP COLUMN document;
ALTER TABLE episodes DROP COLUMN details;
ALTER TABLE shows DROP COLUMN details, DROP COLUMN targets;
