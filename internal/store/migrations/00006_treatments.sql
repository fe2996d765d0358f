-- +goose Up
CREATE TABLE treatments (
  id CHAR(36) PRIMARY KEY,
  show_id CHAR(36) NOT NULL,
  name VARCHAR(200) NOT NULL,
  settings LONGTEXT NOT NULL COMMENT 'of the stages, JSON as in a document',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (show_id, name),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE
) COMMENT 'treatments of voices that a show keeps, to be put on any track';

-- +goose Down
DROP TABLE treatments;
