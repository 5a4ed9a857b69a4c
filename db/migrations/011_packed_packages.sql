-- Packages as they are sent; each is made once and found by what it was made from.
CREATE TABLE packed_packages (
  package_sha256 BINARY(32) NOT NULL,
  recipe VARCHAR(20) NOT NULL,
  packed_sha256 BINARY(32) NOT NULL,
  PRIMARY KEY (package_sha256, recipe),
  FOREIGN KEY (package_sha256) REFERENCES assets(sha256),
  FOREIGN KEY (packed_sha256) REFERENCES assets(sha256)
) ENGINE=InnoDB;
