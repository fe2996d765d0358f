-- +goose Up
ALTER TABLE episodes
  ADD COLUMN description TEXT NOT NULL DEFAULT '',
  ADD COLUMN language VARCHAR(35) NOT NULL DEFAULT '' COMMENT 'a tag as BCP 47 has it';
ALTER TABLE shows
  ADD COLUMN limits TEXT NULL COMMENT 'of the check, JSON; those that are left out are the usual ones';

-- +goose Down
ALTER TABLE shows DROP COLUMN limits;
ALTER TABLE episodes DROP COLUMN description, DROP COLUMN language;
