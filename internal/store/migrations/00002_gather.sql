-- +goose Up
ALTER TABLE sounds
  ADD COLUMN notes TEXT NOT NULL DEFAULT '',
  ADD COLUMN words VARCHAR(500) NOT NULL DEFAULT '' COMMENT 'mood, instrument, genre',
  ADD COLUMN tempo DOUBLE NOT NULL DEFAULT 0 COMMENT 'beats a minute, 0 if it is not known';

ALTER TABLE jobs ADD COLUMN seen BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'a failure that was put away';

CREATE TABLE scripts (
  episode_id CHAR(36) PRIMARY KEY,
  text MEDIUMTEXT NOT NULL,
  pace INT NOT NULL COMMENT 'words a minute',
  recorded TEXT NOT NULL COMMENT 'keys of parts, JSON',
  version BIGINT NOT NULL DEFAULT 1,
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
);

CREATE TABLE takes (
  id CHAR(36) PRIMARY KEY,
  episode_id CHAR(36) NOT NULL,
  number INT NOT NULL COMMENT 'among the takes of the same place',
  track VARCHAR(20) NOT NULL,
  begins BIGINT NOT NULL COMMENT 'session time that it was begun at',
  late BIGINT NOT NULL COMMENT 'frames at 48 kHz by which what was recorded came late',
  rate INT NOT NULL COMMENT 'hertz, of the device',
  channels INT NOT NULL COMMENT 'of the device',
  mono BOOLEAN NOT NULL,
  device VARCHAR(200) NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'recording',
  sound_id CHAR(64) NULL,
  length BIGINT NOT NULL DEFAULT 0 COMMENT 'frames at 48 kHz',
  peak DOUBLE NOT NULL DEFAULT -120 COMMENT 'dBFS',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (episode_id, track, begins),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE takes, scripts;
ALTER TABLE jobs DROP COLUMN seen;
ALTER TABLE sounds DROP COLUMN notes, DROP COLUMN words, DROP COLUMN tempo;
