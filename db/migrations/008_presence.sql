-- Who has a desk open, and at which step. A row a page; those that went quiet do not count and are swept.
CREATE TABLE presence (
  tab CHAR(20) PRIMARY KEY,
  project_id CHAR(20) NOT NULL,
  user_id CHAR(20) NOT NULL,
  sequence_id CHAR(20) NOT NULL,
  step VARCHAR(64) NOT NULL,
  seen_at DATETIME(3) NOT NULL,
  KEY (project_id, seen_at),
  FOREIGN KEY (project_id) REFERENCES projects(id) ON DELETE CASCADE,
  FOREIGN KEY (user_id) REFERENCES users(id) ON DELETE CASCADE
) ENGINE=InnoDB;
