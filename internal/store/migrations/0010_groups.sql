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
