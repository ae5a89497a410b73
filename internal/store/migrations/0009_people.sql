-- Who may sign in. Names stand on receipts, so that a person who is gone is away and not deleted.
CREATE TABLE people (
  id       INTEGER PRIMARY KEY,
  name     TEXT NOT NULL UNIQUE COLLATE NOCASE,
  role     TEXT NOT NULL CHECK (role IN ('reader', 'developer', 'admin')),
  password TEXT NOT NULL, -- what Argon2id makes of it, with its salt and costs
  shelves  TEXT NOT NULL, -- JSON, a list of those whose reports there are for them; [] for all
  made_at  TEXT NOT NULL,
  away_at  TEXT NOT NULL  -- '' for who may sign in
) STRICT;
-- What lets a person in without a password: a session of the console, a token of a script.
CREATE TABLE passes (
  id        INTEGER PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  kind      TEXT NOT NULL CHECK (kind IN ('session', 'token')),
  name      TEXT NOT NULL, -- what a token is for; of a session the browser
  role      TEXT NOT NULL, -- the most that it lets do
  secret    BLOB NOT NULL UNIQUE, -- SHA-256 of it
  address   TEXT NOT NULL, -- where it was made from
  made_at   TEXT NOT NULL,
  used_at   TEXT NOT NULL,
  ends_at   TEXT NOT NULL
) STRICT;
CREATE INDEX passes_of_person ON passes (person_id, kind);
-- What was done, and what was refused. Rows are only added; each has a hash over itself and the one before.
CREATE TABLE audit (
  id      INTEGER PRIMARY KEY,
  at      TEXT NOT NULL,
  person  TEXT NOT NULL,
  action  TEXT NOT NULL,
  subject TEXT NOT NULL,
  hash    BLOB NOT NULL
) STRICT;
CREATE TRIGGER audit_stays BEFORE UPDATE ON audit BEGIN SELECT RAISE(ABORT, 'the audit is only added to'); END;
CREATE TRIGGER audit_keeps BEFORE DELETE ON audit BEGIN SELECT RAISE(ABORT, 'the audit is only added to'); END;
