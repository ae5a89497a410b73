-- Calendars of counts: how many records of a dataset have a date on each day.
CREATE TABLE calendars (
  key        TEXT PRIMARY KEY, -- what is counted: where, of which records, by which column and zone
  source     TEXT NOT NULL,
  dataset    TEXT NOT NULL,
  column     TEXT NOT NULL,
  began      TEXT NOT NULL, -- when the count that is under way began, RFC 3339; '' where none is
  counted    TEXT NOT NULL, -- when the last whole count ended; '' where none did
  changes    TEXT NOT NULL, -- what the database said of the state of the records then
  problem    TEXT NOT NULL, -- why the last count was not finished; '' where nothing was wrong
  body       BLOB NOT NULL  -- the calendar, JSON
) STRICT;
CREATE INDEX calendars_by_source ON calendars (source);
