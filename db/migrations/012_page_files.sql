-- What pages load by names that change with their content, of every version that ran lately: a page opened before an
-- update goes on, and while processes are replaced each finds what the other's pages ask for.
CREATE TABLE page_files (
  name VARCHAR(190) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  packed MEDIUMBLOB NOT NULL,
  left_at DATETIME(3) NULL,
  KEY (left_at)
) ENGINE=InnoDB;
