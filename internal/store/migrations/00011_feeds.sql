-- +goose Up
CREATE TABLE feeds (
  show_id CHAR(36) PRIMARY KEY,
  address CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE COMMENT 'that nobody guesses',
  name VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NULL UNIQUE COMMENT 'by which everybody finds it; none: it is for those alone who have the address',
  said TEXT NOT NULL COMMENT 'what it says of the show besides its details, JSON',
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE
);
CREATE TABLE publications (
  episode_id CHAR(36) PRIMARY KEY,
  show_id CHAR(36) NOT NULL,
  guid CHAR(36) NOT NULL UNIQUE COMMENT 'never changes',
  mixdown_id CHAR(36) NULL COMMENT 'none: it was withdrawn, and the file removed since',
  page LONGTEXT NOT NULL COMMENT 'what is said of it, JSON, as it was when it was published',
  published_at DATETIME(3) NOT NULL COMMENT 'in the future: it waits until then',
  withdrawn_at DATETIME(3) NULL,
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE,
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE,
  FOREIGN KEY (mixdown_id) REFERENCES mixdowns (id) ON DELETE SET NULL
) COMMENT 'episodes in the feed of their show';

-- +goose Down
DROP TABLE publications, feeds;
