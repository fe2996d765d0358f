-- +goose Up
CREATE TABLE facts (
  id BINARY(32) PRIMARY KEY COMMENT 'digest of all that they follow from',
  data MEDIUMBLOB NOT NULL,
  used DATE NOT NULL DEFAULT (CURRENT_DATE),
  KEY (used)
) COMMENT 'what was measured of stretches of mixes; can be measured again';

-- +goose Down
DROP TABLE facts;
