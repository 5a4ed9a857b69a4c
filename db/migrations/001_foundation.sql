-- Workspaces, people, projects, documents with their edit log, assets, jobs.
CREATE TABLE workspaces (
  id CHAR(20) PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) ENGINE=InnoDB;

CREATE TABLE users (
  id CHAR(20) PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  name VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id)
) ENGINE=InnoDB;

-- Only the hash of a session's token is kept.
CREATE TABLE sessions (
  token_hash BINARY(32) PRIMARY KEY,
  user_id CHAR(20) NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  FOREIGN KEY (user_id) REFERENCES users(id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Content-addressed, in chunks of at most 1 MiB; a workspace sees an asset only through asset_owners.
CREATE TABLE assets (
  sha256 BINARY(32) PRIMARY KEY,
  size BIGINT NOT NULL,
  chunks INT NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) ENGINE=InnoDB;

CREATE TABLE asset_chunks (
  sha256 BINARY(32) NOT NULL,
  position INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (sha256, position),
  FOREIGN KEY (sha256) REFERENCES assets(sha256) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE asset_owners (
  sha256 BINARY(32) NOT NULL,
  workspace_id CHAR(20) NOT NULL,
  PRIMARY KEY (sha256, workspace_id),
  FOREIGN KEY (sha256) REFERENCES assets(sha256),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id)
) ENGINE=InnoDB;

-- What a source file became, so that the same file opens at once. `recipe` names reader version and settings.
CREATE TABLE import_cache (
  source_sha256 BINARY(32) NOT NULL,
  recipe VARCHAR(100) NOT NULL,
  package_sha256 BINARY(32) NOT NULL,
  PRIMARY KEY (source_sha256, recipe),
  FOREIGN KEY (package_sha256) REFERENCES assets(sha256)
) ENGINE=InnoDB;

CREATE TABLE projects (
  id CHAR(20) PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  name VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  updated_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
  thumbnail MEDIUMBLOB NULL,
  KEY (workspace_id, updated_at),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id)
) ENGINE=InnoDB;

CREATE TABLE assembly_revisions (
  id CHAR(20) PRIMARY KEY,
  project_id CHAR(20) NOT NULL,
  number INT NOT NULL,
  file_name VARCHAR(255) NOT NULL,
  source_sha256 BINARY(32) NOT NULL,
  package_sha256 BINARY(32) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (project_id, number),
  FOREIGN KEY (project_id) REFERENCES projects(id) ON DELETE CASCADE,
  FOREIGN KEY (source_sha256) REFERENCES assets(sha256),
  FOREIGN KEY (package_sha256) REFERENCES assets(sha256)
) ENGINE=InnoDB;

CREATE TABLE documents (
  id CHAR(20) PRIMARY KEY,
  project_id CHAR(20) NOT NULL,
  kind VARCHAR(20) NOT NULL,
  position INT NOT NULL,
  revision INT NOT NULL,
  snapshot_revision INT NOT NULL,
  snapshot LONGTEXT NOT NULL CHECK (JSON_VALID(snapshot)),
  KEY (project_id),
  FOREIGN KEY (project_id) REFERENCES projects(id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- One row an edit; (document, revision) orders them, the edit's own id makes sending it again harmless.
CREATE TABLE edit_log (
  document_id CHAR(20) NOT NULL,
  revision INT NOT NULL,
  edit_id CHAR(20) NOT NULL,
  user_id CHAR(20) NOT NULL,
  label VARCHAR(300) NOT NULL,
  patches LONGTEXT NOT NULL CHECK (JSON_VALID(patches)),
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (document_id, revision),
  UNIQUE KEY (document_id, edit_id),
  FOREIGN KEY (document_id) REFERENCES documents(id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE jobs (
  id CHAR(20) PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  project_id CHAR(20) NOT NULL,
  kind VARCHAR(40) NOT NULL,
  state VARCHAR(12) NOT NULL DEFAULT 'waiting',
  stage VARCHAR(20) NOT NULL DEFAULT 'waiting',
  share DOUBLE NULL,
  cancel_requested TINYINT NOT NULL DEFAULT 0,
  input LONGTEXT NOT NULL CHECK (JSON_VALID(input)),
  result LONGTEXT NULL,
  error VARCHAR(1000) NULL,
  tries INT NOT NULL DEFAULT 0,
  beat_at DATETIME(3) NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (state, created_at),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id),
  FOREIGN KEY (project_id) REFERENCES projects(id) ON DELETE CASCADE
) ENGINE=InnoDB;
