-- How each revision was read, and what documents call its nodes: JSON of own key to identity, only where they differ.
-- A revision is never changed; going back to an earlier one adds a row again.
ALTER TABLE assembly_revisions
  ADD COLUMN settings LONGTEXT NOT NULL DEFAULT '{}' CHECK (JSON_VALID(settings)),
  ADD COLUMN identities LONGTEXT NOT NULL DEFAULT '{}' CHECK (JSON_VALID(identities));
