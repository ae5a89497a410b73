-- What conditions can ask of people, and what several people may beside what each may.
ALTER TABLE people ADD COLUMN attributes TEXT NOT NULL DEFAULT '{}'; -- JSON, a list of values for each
CREATE TABLE groups (
  id         INTEGER PRIMARY KEY,
  name       TEXT NOT NULL UNIQUE COLLATE NOCASE,
  role       TEXT NOT NULL CHECK (role IN ('', 'reader', 'developer', 'admin')),
  shelves    TEXT NOT NULL, -- JSON, as those of people
  attributes TEXT NOT NULL
) STRICT;
CREATE TABLE members (
  group_id  INTEGER NOT NULL REFERENCES groups ON DELETE CASCADE,
  person_id INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  PRIMARY KEY (group_id, person_id)
) STRICT;
CREATE INDEX groups_of_person ON members (person_id);
-- Schedules that people made for themselves; those that are definitions lie with these.
CREATE TABLE schedules (
  name    TEXT PRIMARY KEY,
  person  TEXT NOT NULL,
  role    TEXT NOT NULL, -- the most that it may do, as its person when it was made
  text    TEXT NOT NULL, -- YAML, as a definition's
  made_at TEXT NOT NULL
) STRICT;
-- How far each schedule has come: the last of its times that is on record, or when it was first seen.
CREATE TABLE schedule_marks (
  schedule    TEXT PRIMARY KEY,
  times       TEXT NOT NULL, -- when it is due, in words: with other times it begins anew
  reached     TEXT NOT NULL,
  fingerprint TEXT NOT NULL -- of the last result that was there to be sent
) STRICT;
-- Each time of a schedule that fell due. It is claimed before anything is run for it.
CREATE TABLE schedule_runs (
  id       INTEGER PRIMARY KEY,
  schedule TEXT NOT NULL,
  due_at   TEXT NOT NULL,
  person   TEXT NOT NULL, -- with whose rights
  state    TEXT NOT NULL CHECK (state IN ('claimed', 'done', 'failed', 'skipped')),
  tries    INTEGER NOT NULL,
  next_at  TEXT NOT NULL, -- when it is tried next
  receipt  INTEGER NOT NULL, -- 0 for none
  problem  TEXT NOT NULL,
  ended_at TEXT NOT NULL,
  UNIQUE (schedule, due_at)
) STRICT;
CREATE INDEX schedule_runs_open ON schedule_runs (next_at) WHERE state = 'claimed';
-- What is sent of a run, to each recipient.
CREATE TABLE deliveries (
  id        INTEGER PRIMARY KEY,
  run_id    INTEGER NOT NULL REFERENCES schedule_runs ON DELETE CASCADE,
  place     INTEGER NOT NULL, -- which of those that the schedule names
  kind      TEXT NOT NULL CHECK (kind IN ('mail', 'folder', 'hook')),
  recipient TEXT NOT NULL,
  state     TEXT NOT NULL CHECK (state IN ('waiting', 'sending', 'sent', 'not_wanted', 'doubtful', 'failed')),
  tries     INTEGER NOT NULL,
  next_at   TEXT NOT NULL,
  problem   TEXT NOT NULL,
  ended_at  TEXT NOT NULL,
  UNIQUE (run_id, place, recipient)
) STRICT;
CREATE INDEX deliveries_open ON deliveries (next_at) WHERE state IN ('waiting', 'sending');
