-- Who runs a job: only that claim may report on it or end it.
ALTER TABLE jobs
  ADD COLUMN owner CHAR(20) NULL;

-- Sessions that have run out are swept by this.
ALTER TABLE sessions
  ADD COLUMN created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  ADD KEY (expires_at);

-- Requests of a minute, counted by all app processes together. The bucket is a hash, so no token lies here.
CREATE TABLE request_counts (
  bucket BINARY(32) NOT NULL,
  minute INT UNSIGNED NOT NULL,
  n INT UNSIGNED NOT NULL,
  PRIMARY KEY (bucket, minute),
  KEY (minute)
) ENGINE=InnoDB;

-- Uploads on their way. A process that dies leaves its rows; they run out.
CREATE TABLE upload_slots (
  id CHAR(20) PRIMARY KEY,
  workspace_id CHAR(20) NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  KEY (workspace_id),
  FOREIGN KEY (workspace_id) REFERENCES workspaces(id) ON DELETE CASCADE
) ENGINE=InnoDB;
