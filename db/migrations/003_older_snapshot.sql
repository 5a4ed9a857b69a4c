-- The snapshot before the last one, so that a document's last edits can always be looked back at: at least forty.
ALTER TABLE documents
  ADD COLUMN older_revision INT NULL,
  ADD COLUMN older_snapshot LONGTEXT NULL CHECK (older_snapshot IS NULL OR JSON_VALID(older_snapshot));
