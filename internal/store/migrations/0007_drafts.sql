-- What developers are writing, each on a copy of their own, and the steps that it was made in.
CREATE TABLE drafts (
  id       INTEGER PRIMARY KEY,
  person   TEXT NOT NULL,
  kind     TEXT NOT NULL,
  name     TEXT NOT NULL,
  text     TEXT NOT NULL,
  base     INTEGER NOT NULL, -- the revision that it started from; 0 for a new definition
  version  INTEGER NOT NULL, -- how often it was saved
  step     INTEGER NOT NULL, -- how many of its steps are made; those behind were taken back
  saved_at TEXT NOT NULL,    -- RFC 3339, UTC
  UNIQUE (person, kind, name)
) STRICT;
CREATE TABLE draft_steps (
  draft_id INTEGER NOT NULL REFERENCES drafts (id) ON DELETE CASCADE,
  number   INTEGER NOT NULL, -- from 1
  changes  TEXT NOT NULL,    -- JSON: places, what stood there, what stands there now
  base     INTEGER NOT NULL, -- the revision that the draft started from after the step
  was      INTEGER NOT NULL, -- and before it
  typed    INTEGER NOT NULL, -- whether it is text as it was typed, to which more may be typed
  PRIMARY KEY (draft_id, number)
) STRICT;
