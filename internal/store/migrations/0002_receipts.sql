CREATE TABLE receipts (
  id         INTEGER PRIMARY KEY, -- from 1, in the order of the runs
  report     TEXT NOT NULL,
  person     TEXT NOT NULL,
  state      TEXT NOT NULL,
  started_at TEXT NOT NULL,       -- RFC 3339 with microseconds, UTC
  body       BLOB NOT NULL,       -- the receipt, JSON
  marks      BLOB                 -- what stands for each row of the result, NULL where it was not kept
) STRICT;

CREATE INDEX receipts_by_start ON receipts (started_at);
CREATE INDEX receipts_by_report ON receipts (report);
CREATE INDEX receipts_by_person ON receipts (person);
-- Nearly all runs bring records; the others are looked for.
CREATE INDEX receipts_by_state ON receipts (state) WHERE state NOT IN ('running', 'rows');

CREATE TABLE loads (
  table_name TEXT PRIMARY KEY, -- of the embedded records
  loaded_at  TEXT NOT NULL,    -- RFC 3339, UTC
  loaded_by  TEXT NOT NULL,
  rows       INTEGER NOT NULL
) STRICT;
