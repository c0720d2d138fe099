-- +goose Up
-- What a partner is asked to say yes or no to before work begins.
CREATE TABLE pitch (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  partner INTEGER NOT NULL REFERENCES person(id),
  title TEXT NOT NULL,
  text TEXT NOT NULL,
  month INTEGER NOT NULL DEFAULT 0,    -- the first day of the month that is wanted
  format INTEGER NOT NULL,             -- of the piece
  idea_id INTEGER NOT NULL DEFAULT 0,
  state TEXT NOT NULL,                 -- asked, yes or no
  why TEXT NOT NULL DEFAULT '',
  piece_id INTEGER NOT NULL DEFAULT 0,
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  answered_by INTEGER NOT NULL DEFAULT 0,
  answered_at INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX pitch_of_desk ON pitch (desk_id, id);
CREATE INDEX pitch_to ON pitch (partner, state);

-- +goose Down
DROP TABLE pitch;
