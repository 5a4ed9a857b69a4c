-- Accounts. `email_key` is the address as it is compared (see src/server/people/email.ts); who was removed has none, so
-- that the address can be invited again, and keeps the row, since edits are signed with it.
ALTER TABLE users
  ADD COLUMN email_key VARCHAR(320) NULL COLLATE utf8mb4_bin,
  ADD COLUMN password_hash VARCHAR(255) NULL,
  ADD COLUMN removed_at DATETIME(3) NULL,
  ADD UNIQUE KEY (email_key);

-- `ended` says why a session ended before its time, for whoever comes with its token.
ALTER TABLE sessions
  ADD COLUMN id CHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN seen_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  ADD COLUMN agent VARCHAR(200) NOT NULL DEFAULT '',
  ADD COLUMN address VARCHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN ended ENUM('signed-out', 'ended', 'removed', 'password') NULL,
  ADD KEY (user_id, ended);

CREATE TABLE invitations (
  id CHAR(20) PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  email VARCHAR(320) NOT NULL,
  email_key VARCHAR(320) NOT NULL COLLATE utf8mb4_bin,
  role ENUM('owner', 'animator', 'reviewer') NOT NULL,
  token_hash BINARY(32) NOT NULL,
  invited_by CHAR(20) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  expires_at DATETIME(3) NOT NULL,
  accepted_at DATETIME(3) NULL,
  withdrawn_at DATETIME(3) NULL,
  UNIQUE KEY (token_hash),
  KEY (workspace_id, created_at),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id),
  FOREIGN KEY (invited_by) REFERENCES users(id)
) ENGINE=InnoDB;

CREATE TABLE reset_tokens (
  token_hash BINARY(32) PRIMARY KEY,
  user_id CHAR(20) NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  KEY (user_id),
  KEY (expires_at),
  FOREIGN KEY (user_id) REFERENCES users(id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Attempts by account and address, for all app processes together. Buckets are hashes.
CREATE TABLE attempts (
  bucket BINARY(32) PRIMARY KEY,
  since DATETIME(3) NOT NULL,
  n INT UNSIGNED NOT NULL,
  KEY (since)
) ENGINE=InnoDB;

-- Who did what, when, from where. Names as they were then.
CREATE TABLE audit (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  who VARCHAR(600) NOT NULL,
  what VARCHAR(40) NOT NULL,
  detail VARCHAR(1000) NOT NULL,
  address VARCHAR(64) NOT NULL,
  KEY (workspace_id, id),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id)
) ENGINE=InnoDB;

-- Mail, where no mail server is set: the stand-in's box.
CREATE TABLE outbox (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  recipient VARCHAR(320) NOT NULL,
  subject VARCHAR(300) NOT NULL,
  body TEXT NOT NULL,
  KEY (workspace_id, id),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id)
) ENGINE=InnoDB;

-- A limited project is seen by owners and by these alone.
ALTER TABLE projects
  ADD COLUMN limited TINYINT NOT NULL DEFAULT 0;
CREATE TABLE project_people (
  project_id CHAR(20) NOT NULL,
  user_id CHAR(20) NOT NULL,
  PRIMARY KEY (project_id, user_id),
  KEY (user_id),
  FOREIGN KEY (project_id) REFERENCES projects(id) ON DELETE CASCADE,
  FOREIGN KEY (user_id) REFERENCES users(id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- One row: the token that may make the first owner, until there is one.
CREATE TABLE installation (
  id TINYINT PRIMARY KEY,
  first_token BINARY(32) NULL
) ENGINE=InnoDB;
INSERT INTO installation (id, first_token) VALUES (1, NULL);
