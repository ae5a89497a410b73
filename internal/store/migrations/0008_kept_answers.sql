-- Answers that readers keep under a name.
CREATE TABLE kept_answers (
  id      INTEGER PRIMARY KEY,
  person  TEXT NOT NULL,
  report  TEXT NOT NULL,
  name    TEXT NOT NULL,
  shared  INTEGER NOT NULL, -- whether everybody sees them
  as_of   TEXT NOT NULL,    -- ISO 8601, the day to take for today; '' for the day of each use
  answers TEXT NOT NULL,    -- JSON, as they were entered
  view    TEXT NOT NULL,    -- JSON, how the main table is seen
  kept_at TEXT NOT NULL,    -- RFC 3339, UTC
  UNIQUE (person, report, name)
) STRICT;
-- Links with a token of their own, for spreadsheets and scripts.
CREATE TABLE live_links (
  id         INTEGER PRIMARY KEY,
  person     TEXT NOT NULL, -- whose rights it has
  role       TEXT NOT NULL,
  report     TEXT NOT NULL,
  name       TEXT NOT NULL,
  token      BLOB NOT NULL UNIQUE, -- SHA-256 of it
  format     TEXT NOT NULL,
  form       TEXT NOT NULL, -- JSON, how CSV is written
  section    INTEGER NOT NULL, -- 0 for what the format takes without one
  as_of      TEXT NOT NULL,
  answers    TEXT NOT NULL,
  view       TEXT NOT NULL,
  made_at    TEXT NOT NULL,
  used_at    TEXT NOT NULL, -- '' where it never was
  uses       INTEGER NOT NULL,
  revoked_at TEXT NOT NULL -- '' where it is not
) STRICT;
