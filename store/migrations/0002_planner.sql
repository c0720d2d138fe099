-- +goose Up
ALTER TABLE desk ADD COLUMN goal INTEGER NOT NULL DEFAULT 20;       -- slots that are to be covered by finished pieces
ALTER TABLE desk ADD COLUMN retired INTEGER NOT NULL DEFAULT 0;
ALTER TABLE channel ADD COLUMN retired INTEGER NOT NULL DEFAULT 0;
ALTER TABLE slot ADD COLUMN retired INTEGER NOT NULL DEFAULT 0;
ALTER TABLE leg ADD COLUMN worked INTEGER NOT NULL DEFAULT 0;       -- minutes that its holder says are done
ALTER TABLE leg ADD COLUMN beside INTEGER NOT NULL DEFAULT 0;       -- it may run side by side with what it waits for
ALTER TABLE step ADD COLUMN role TEXT NOT NULL DEFAULT '';          -- who does it, when not the holder of the leg
ALTER TABLE step ADD COLUMN before INTEGER NOT NULL DEFAULT 0;      -- working days before the leg is due

-- The extra fields of a format. A retired one keeps what was filled in.
CREATE TABLE field (
  id INTEGER PRIMARY KEY,
  format_id INTEGER NOT NULL REFERENCES format(id),
  key TEXT NOT NULL,                   -- by which routes name it
  name TEXT NOT NULL,
  kind TEXT NOT NULL,                  -- text, number, money, date, yes, one, several or address
  choices TEXT NOT NULL DEFAULT '',    -- a line each
  help TEXT NOT NULL DEFAULT '',
  position INTEGER NOT NULL DEFAULT 0,
  retired INTEGER NOT NULL DEFAULT 0,
  UNIQUE (format_id, key)
) STRICT;

CREATE TABLE field_value (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  field_id INTEGER NOT NULL REFERENCES field(id),
  value TEXT NOT NULL,
  PRIMARY KEY (piece_id, field_id)
) STRICT, WITHOUT ROWID;

-- What a change of the plan replaced, so that whoever made it can take it back.
CREATE TABLE undo (
  id INTEGER PRIMARY KEY,
  at INTEGER NOT NULL,
  actor INTEGER NOT NULL,
  what TEXT NOT NULL,
  state TEXT NOT NULL,                 -- JSON
  undone_at INTEGER NOT NULL DEFAULT 0
) STRICT;

-- +goose Down
DROP TABLE undo; DROP TABLE field_value; DROP TABLE field;
ALTER TABLE step DROP COLUMN before; ALTER TABLE step DROP COLUMN role; ALTER TABLE leg DROP COLUMN beside; ALTER TABLE leg DROP COLUMN worked;
ALTER TABLE slot DROP COLUMN retired; ALTER TABLE channel DROP COLUMN retired; ALTER TABLE desk DROP COLUMN retired; ALTER TABLE desk DROP COLUMN goal;
