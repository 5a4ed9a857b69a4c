-- Rounds of review: what was sent, as it was then. Packages and sounds are shared with the project.
CREATE TABLE rounds (
  id CHAR(20) PRIMARY KEY,
  project_id CHAR(20) NOT NULL,
  document_id CHAR(20) NOT NULL,
  number INT NOT NULL,
  note TEXT NOT NULL,
  name VARCHAR(300) NOT NULL,
  file_name VARCHAR(255) NOT NULL,
  package_sha256 BINARY(32) NOT NULL,
  identities LONGTEXT NOT NULL CHECK (JSON_VALID(identities)),
  preparation LONGTEXT NOT NULL CHECK (JSON_VALID(preparation)),
  sequence LONGTEXT NOT NULL CHECK (JSON_VALID(sequence)),
  -- What each step comes to, in order.
  prints LONGTEXT NOT NULL CHECK (JSON_VALID(prints)),
  made_by CHAR(20) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  -- Grows with everything that is said, so that readers know when to look again.
  version BIGINT UNSIGNED NOT NULL DEFAULT 0,
  UNIQUE KEY (document_id, number),
  KEY (project_id),
  FOREIGN KEY (project_id) REFERENCES projects(id) ON DELETE CASCADE,
  FOREIGN KEY (package_sha256) REFERENCES assets(sha256)
) ENGINE=InnoDB;

CREATE TABLE review_links (
  id CHAR(20) PRIMARY KEY,
  round_id CHAR(20) NOT NULL,
  secret_hash BINARY(32) NOT NULL,
  may ENUM('look', 'comment', 'decide') NOT NULL,
  -- Names of those it is for; null for anybody who has it.
  names LONGTEXT NULL CHECK (names IS NULL OR JSON_VALID(names)),
  password_hash VARCHAR(255) NULL,
  expires_at DATETIME(3) NULL,
  withdrawn_at DATETIME(3) NULL,
  made_by CHAR(20) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (secret_hash),
  KEY (round_id),
  FOREIGN KEY (round_id) REFERENCES rounds(id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE review_guests (
  id CHAR(20) PRIMARY KEY,
  link_id CHAR(20) NOT NULL,
  name VARCHAR(200) NOT NULL,
  token_hash BINARY(32) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (token_hash),
  KEY (link_id),
  FOREIGN KEY (link_id) REFERENCES review_links(id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- `voice` is the id of a person or a guest; names as they were then.
CREATE TABLE comments (
  id CHAR(20) PRIMARY KEY,
  round_id CHAR(20) NOT NULL,
  answers CHAR(20) NULL,
  voice CHAR(20) NOT NULL,
  voice_name VARCHAR(200) NOT NULL,
  voice_guest TINYINT NOT NULL,
  text TEXT NOT NULL,
  step VARCHAR(64) NOT NULL,
  t_from BIGINT NOT NULL,
  t_until BIGINT NOT NULL,
  pin LONGTEXT NULL CHECK (pin IS NULL OR JSON_VALID(pin)),
  seen LONGTEXT NULL CHECK (seen IS NULL OR JSON_VALID(seen)),
  strokes LONGTEXT NOT NULL CHECK (JSON_VALID(strokes)),
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  edited_at DATETIME(3) NULL,
  taken_back_at DATETIME(3) NULL,
  settled_at DATETIME(3) NULL,
  settled_by VARCHAR(200) NULL,
  settled_edit VARCHAR(300) NULL,
  carried_from INT NULL,
  KEY (round_id, created_at),
  FOREIGN KEY (round_id) REFERENCES rounds(id) ON DELETE CASCADE,
  FOREIGN KEY (answers) REFERENCES comments(id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Never changed, only overtaken by a later row of the same voice.
CREATE TABLE decisions (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  round_id CHAR(20) NOT NULL,
  step VARCHAR(64) NOT NULL,
  verdict ENUM('fine', 'change') NOT NULL,
  voice CHAR(20) NOT NULL,
  voice_name VARCHAR(200) NOT NULL,
  voice_guest TINYINT NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  carried_from INT NULL,
  KEY (round_id, id),
  FOREIGN KEY (round_id) REFERENCES rounds(id) ON DELETE CASCADE
) ENGINE=InnoDB;
