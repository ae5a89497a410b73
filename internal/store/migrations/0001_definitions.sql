CREATE TABLE definitions (
  id      INTEGER PRIMARY KEY,
  kind    TEXT NOT NULL,
  name    TEXT NOT NULL,
  current INTEGER REFERENCES revisions (id) DEFERRABLE INITIALLY DEFERRED, -- the published revision
  UNIQUE (kind, name)
) STRICT;

CREATE TABLE revisions (
  id            INTEGER PRIMARY KEY,
  definition_id INTEGER NOT NULL REFERENCES definitions (id),
  number        INTEGER NOT NULL, -- from 1, within the definition
  text          TEXT NOT NULL,    -- the YAML as it was written
  file          TEXT NOT NULL,
  line          INTEGER NOT NULL, -- of the file, that the text starts on
  saved_at      TEXT NOT NULL,    -- RFC 3339, UTC
  saved_by      TEXT NOT NULL,
  UNIQUE (definition_id, number)
) STRICT;

CREATE TABLE settings (
  name  TEXT PRIMARY KEY,
  value TEXT NOT NULL
) STRICT;
