-- +goose Up
CREATE TABLE people (
  id CHAR(36) PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  letters VARCHAR(12) NOT NULL COMMENT 'in the circle that stands for them',
  sign_in VARCHAR(100) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL UNIQUE COMMENT 'in lower case; none: they sign in elsewhere, or have left',
  password VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'argon2id; empty: they sign in elsewhere',
  keeper BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'looks after this Ruvel',
  epoch INT NOT NULL DEFAULT 1 COMMENT 'what was signed in in an earlier one has ended',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  left_at DATETIME(3) NULL
);

CREATE TABLE members (
  show_id CHAR(36) NOT NULL,
  person_id CHAR(36) NOT NULL,
  role VARCHAR(10) NOT NULL,
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (show_id, person_id),
  KEY (person_id),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

CREATE TABLE invitations (
  id CHAR(36) PRIMARY KEY,
  secret BINARY(32) NOT NULL UNIQUE COMMENT 'SHA-256 of what stands in the link',
  kind VARCHAR(10) NOT NULL COMMENT 'first, join or renew',
  show_id CHAR(36) NULL,
  role VARCHAR(10) NULL,
  person_id CHAR(36) NULL COMMENT 'whose password is made anew',
  made_by CHAR(36) NULL,
  note VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'whom it is for, as the one who invites calls them',
  ends_at DATETIME(3) NOT NULL,
  used_at DATETIME(3) NULL,
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  FOREIGN KEY (made_by) REFERENCES people (id) ON DELETE SET NULL
);

CREATE TABLE identities (
  issuer VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  subject VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  person_id CHAR(36) NOT NULL,
  PRIMARY KEY (issuer, subject),
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) COMMENT 'as whom somebody is known elsewhere (OpenID Connect)';

CREATE TABLE sessions (
  token CHAR(43) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  data BLOB NOT NULL,
  expiry TIMESTAMP(6) NOT NULL,
  KEY (expiry)
) COMMENT 'in the form of scs';

CREATE TABLE attempts (
  who VARCHAR(180) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  wrong INT NOT NULL,
  last_at DATETIME(3) NOT NULL,
  KEY (last_at)
) COMMENT 'passwords that were wrong, by whom they were for and where they came from';

CREATE TABLE tokens (
  id CHAR(36) PRIMARY KEY,
  person_id CHAR(36) NOT NULL,
  name VARCHAR(200) NOT NULL,
  secret BINARY(32) NOT NULL UNIQUE COMMENT 'SHA-256',
  looks BOOLEAN NOT NULL COMMENT 'it may look, and change nothing',
  show_id CHAR(36) NULL COMMENT 'the only show that it is for',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  used_at DATETIME(3) NULL,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  FOREIGN KEY (show_id) REFERENCES shows (id) ON DELETE CASCADE
);

CREATE TABLE notes (
  id CHAR(36) PRIMARY KEY,
  episode_id CHAR(36) NOT NULL,
  answers CHAR(36) NULL COMMENT 'the note that it is an answer to',
  person_id CHAR(36) NULL,
  person VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'what they were called then',
  words TEXT NOT NULL,
  begins BIGINT NOT NULL,
  ends BIGINT NOT NULL COMMENT 'that of a place is where it begins',
  settled_at DATETIME(3) NULL,
  settled_by VARCHAR(200) NOT NULL DEFAULT '',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  changed_at DATETIME(3) NULL,
  KEY (episode_id, begins),
  FOREIGN KEY (episode_id) REFERENCES episodes (id) ON DELETE CASCADE,
  FOREIGN KEY (answers) REFERENCES notes (id) ON DELETE CASCADE,
  FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE SET NULL
);

CREATE TABLE duties (
  name VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  owner VARCHAR(100) NOT NULL,
  until_at DATETIME(3) NOT NULL
) COMMENT 'what one process at a time does, and until when it is taken to be there';

ALTER TABLE history
  ADD COLUMN person_id CHAR(36) NULL COMMENT 'whose step it is; none: of the one person that there is',
  ADD COLUMN person VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'what they were called then',
  ADD COLUMN back_of BIGINT NULL COMMENT 'the step that this one takes back',
  ADD KEY by_person (episode_id, person_id, step);
ALTER TABLE jobs
  ADD COLUMN request VARCHAR(64) NOT NULL DEFAULT '' COMMENT 'the id of the request that has asked for it',
  ADD COLUMN person_id CHAR(36) NULL COMMENT 'who has asked for it',
  ADD COLUMN person VARCHAR(200) NOT NULL DEFAULT '';
ALTER TABLE takes
  ADD COLUMN person_id CHAR(36) NULL COMMENT 'who has recorded it',
  ADD COLUMN person VARCHAR(200) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE takes DROP COLUMN person, DROP COLUMN person_id;
ALTER TABLE jobs DROP COLUMN person, DROP COLUMN person_id, DROP COLUMN request;
ALTER TABLE history DROP KEY by_person, DROP COLUMN back_of, DROP COLUMN person, DROP COLUMN person_id;
DROP TABLE duties;
DROP TABLE notes;
DROP TABLE tokens;
DROP TABLE attempts;
DROP TABLE sessions;
DROP TABLE identities;
DROP TABLE invitations;
DROP TABLE members;
DROP TABLE people;
