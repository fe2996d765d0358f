-- +goose Up
CREATE TABLE shows (
  id CHAR(36) PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

CREATE TABLE episodes (
  id CHAR(36) PRIMARY KEY,
  show_id CHAR(36) NOT NULL,
  number INT NOT NULL,
  title VARCHAR(200) NOT NULL,
  document LONGTEXT NOT NULL,
  version BIGINT NOT NULL DEFAULT 1,
  steps BIGINT NOT NULL DEFAULT 0 COMMENT 'how many steps of the history are applied',
  length BIGINT NOT NULL DEFAULT 0 COMMENT 'frames at 48 kHz',
  loudness TEXT NULL COMMENT 'the measurement of loudness_version, JSON',
  loudness_version BIGINT NOT NULL DEFAULT 0,
  changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE
);

CREATE TABLE sounds (
  show_id CHAR(36) NOT NULL,
  id CHAR(64) NOT NULL COMMENT 'SHA-256 of the original',
  name VARCHAR(200) NOT NULL,
  part VARCHAR(10) NOT NULL,
  channels INT NOT NULL,
  rate INT NOT NULL COMMENT 'hertz, of the original',
  format VARCHAR(60) NOT NULL,
  bytes BIGINT NOT NULL,
  length BIGINT NOT NULL COMMENT 'frames at 48 kHz',
  loudness TEXT NOT NULL COMMENT 'JSON',
  title VARCHAR(200) NOT NULL DEFAULT '',
  author VARCHAR(200) NOT NULL DEFAULT '',
  source VARCHAR(500) NOT NULL DEFAULT '',
  licence VARCHAR(200) NOT NULL DEFAULT '',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (show_id, id),
  KEY (id),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE
);

CREATE TABLE sound_uses (
  episode_id CHAR(36) NOT NULL,
  show_id CHAR(36) NOT NULL,
  sound_id CHAR(64) NOT NULL,
  PRIMARY KEY (episode_id, sound_id),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE,
  FOREIGN KEY (show_id, sound_id) REFERENCES sounds (show_id, id)
);

CREATE TABLE history (
  episode_id CHAR(36) NOT NULL,
  step BIGINT NOT NULL,
  name VARCHAR(300) NOT NULL,
  gesture VARCHAR(64) NOT NULL,
  forward LONGTEXT NOT NULL COMMENT 'JSON Patch',
  backward LONGTEXT NOT NULL COMMENT 'JSON Patch',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (episode_id, step),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
);

CREATE TABLE jobs (
  id CHAR(36) PRIMARY KEY,
  kind VARCHAR(20) NOT NULL,
  show_id CHAR(36) NOT NULL,
  episode_id CHAR(36) NULL,
  name VARCHAR(300) NOT NULL COMMENT 'what it works on, for people',
  arguments LONGTEXT NOT NULL COMMENT 'JSON',
  state VARCHAR(10) NOT NULL DEFAULT 'queued',
  progress DOUBLE NOT NULL DEFAULT 0,
  problem TEXT NOT NULL DEFAULT '' COMMENT 'JSON, if it failed',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (show_id, state),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE,
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
);

CREATE TABLE mixdowns (
  id CHAR(36) PRIMARY KEY,
  episode_id CHAR(36) NOT NULL,
  version BIGINT NOT NULL,
  format VARCHAR(20) NOT NULL,
  channels INT NOT NULL,
  begins BIGINT NOT NULL,
  ends BIGINT NOT NULL,
  file VARCHAR(300) NOT NULL COMMENT 'name for the download',
  bytes BIGINT NOT NULL,
  loudness TEXT NOT NULL COMMENT 'JSON, measured on the finished file',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE mixdowns, jobs, history, sound_uses, sounds, episodes, shows;
