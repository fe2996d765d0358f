-- +goose Up
CREATE TABLE links (
  id CHAR(36) PRIMARY KEY,
  address CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE COMMENT 'that nobody guesses',
  episode_id CHAR(36) NOT NULL,
  mixdown_id CHAR(36) NULL COMMENT 'that is heard behind it; none: it was withdrawn, and the file removed since',
  page LONGTEXT NOT NULL COMMENT 'what the page says, JSON, as it was when the link was made',
  ends_at DATETIME(3) NULL,
  password VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'argon2id; empty: none',
  comments BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'listeners may write some',
  withdrawn_at DATETIME(3) NULL,
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE,
  FOREIGN KEY (mixdown_id) REFERENCES mixdowns (id) ON DELETE SET NULL
) COMMENT 'addresses at which finished files are heard by whoever has them';
CREATE TABLE comments (
  id CHAR(36) PRIMARY KEY,
  link_id CHAR(36) NOT NULL,
  at BIGINT NOT NULL COMMENT 'frames at 48 kHz from the beginning of the file',
  name VARCHAR(80) NOT NULL,
  words TEXT NOT NULL,
  state ENUM('new', 'shown', 'hidden') NOT NULL DEFAULT 'new',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  FOREIGN KEY (link_id) REFERENCES links (id) ON DELETE CASCADE
) COMMENT 'what listeners have written';

-- +goose Down
DROP TABLE comments, links;
