-- +goose Up
ALTER TABLE episodes
  ADD COLUMN layout BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'it is a layout of the house sound of its show, and no episode',
  ADD COLUMN made_from CHAR(36) NULL COMMENT 'the layout that it began as',
  ADD COLUMN made_of LONGTEXT NULL COMMENT 'the document of that layout when it was last in line with it',
  ADD CONSTRAINT made_from_layout FOREIGN KEY (made_from) REFERENCES episodes (id) ON DELETE SET NULL;

-- +goose Down
ALTER TABLE episodes DROP FOREIGN KEY made_from_layout;
ALTER TABLE episodes DROP COLUMN layout, DROP COLUMN made_from, DROP COLUMN made_of;
