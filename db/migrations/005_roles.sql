-- Who may do what: see src/server/access/matrix.ts. Whoever was there before made everything, and goes on to.
ALTER TABLE users
  ADD COLUMN role ENUM('owner', 'animator', 'reviewer') NOT NULL DEFAULT 'animator',
  ADD COLUMN email VARCHAR(320) NULL,
  ADD KEY (workspace_id, role);
