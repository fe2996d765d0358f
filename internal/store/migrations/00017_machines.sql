-- +goose Up
ALTER TABLE duties MODIFY name VARCHAR(100) CHARACTER SET ascii COLLATE ascii_bin NOT NULL;

CREATE TABLE uploads (
  id CHAR(36) PRIMARY KEY,
  show_id CHAR(36) NOT NULL,
  said LONGTEXT NOT NULL COMMENT 'JSON: what was announced of it',
  begun_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (show_id)
) COMMENT 'files on their way in';

CREATE TABLE tallies (
  id BINARY(32) NOT NULL COMMENT 'SHA-256 of what is counted',
  begins DATETIME NOT NULL COMMENT 'the minute in which it is',
  counted INT NOT NULL,
  PRIMARY KEY (id, begins),
  KEY (begins)
) COMMENT 'how often strangers have asked for something';

CREATE TABLE processes (
  owner VARCHAR(100) PRIMARY KEY,
  seen_at DATETIME(3) NOT NULL
) COMMENT 'those that do parts of what is to be done';

CREATE TABLE parts (
  job_id CHAR(36) NOT NULL,
  name VARCHAR(100) CHARACTER SET ascii COLLATE ascii_bin NOT NULL COMMENT 'what it is, and by a digest what it is made with',
  place INT NOT NULL COMMENT 'in the order in which they are wanted',
  arguments LONGTEXT NOT NULL COMMENT 'JSON',
  done BOOLEAN NOT NULL DEFAULT FALSE,
  problem LONGTEXT NOT NULL DEFAULT '' COMMENT 'JSON: why it cannot be made',
  owner VARCHAR(100) NOT NULL DEFAULT '',
  lease DATETIME(3) NULL,
  attempts INT NOT NULL DEFAULT 0,
  PRIMARY KEY (job_id, name),
  KEY (done, lease),
  FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE
) COMMENT 'parts of jobs, which whoever is free makes';

-- +goose Down
DROP TABLE parts;
DROP TABLE processes;
DROP TABLE tallies;
DROP TABLE uploads;
