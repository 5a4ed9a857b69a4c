-- The frame that a comment is about, with its pin and lines, as whoever made it saw it.
CREATE TABLE comment_pictures (
  comment_id CHAR(20) PRIMARY KEY,
  data MEDIUMBLOB NOT NULL,
  FOREIGN KEY (comment_id) REFERENCES comments(id) ON DELETE CASCADE
) ENGINE=InnoDB;
