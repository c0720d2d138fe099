-- +goose Up
-- Pieces that make themselves, on days that follow from a rule.
CREATE TABLE regular (
  id          INTEGER PRIMARY KEY,
  desk_id     INTEGER NOT NULL REFERENCES desk (id),
  name        TEXT NOT NULL,
  title       TEXT NOT NULL,               -- with {n} and {date}
  format_id   INTEGER NOT NULL REFERENCES format (id),
  channel_id  INTEGER NOT NULL DEFAULT 0,  -- none is the format's own
  owner       INTEGER NOT NULL DEFAULT 0,  -- none is whom the format says
  topic_id    INTEGER NOT NULL DEFAULT 0,
  campaign_id INTEGER NOT NULL DEFAULT 0,
  brief       TEXT NOT NULL DEFAULT '',
  words_from  INTEGER NOT NULL DEFAULT 0,
  words_to    INTEGER NOT NULL DEFAULT 0,
  people      TEXT NOT NULL DEFAULT '{}',  -- JSON, who runs which leg
  rule        TEXT NOT NULL,               -- JSON
  at          INTEGER NOT NULL DEFAULT -1, -- minutes after midnight; -1 is the time of the channel
  ahead       INTEGER NOT NULL,            -- weeks before its day that a piece is made
  since       INTEGER NOT NULL,            -- the day from which on its dates count
  made_day    INTEGER NOT NULL DEFAULT 0,  -- the day on which pieces were last made
  next_n      INTEGER NOT NULL DEFAULT 1,  -- the number of the next piece
  paused      INTEGER NOT NULL DEFAULT 0,
  ended       INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX regular_desk ON regular (desk_id);
CREATE INDEX regular_format ON regular (format_id);
CREATE TABLE regular_date ( -- what became of a day of a rule
  regular_id INTEGER NOT NULL REFERENCES regular (id),
  key        INTEGER NOT NULL,            -- the day by the rule
  state      TEXT NOT NULL,               -- made, taken, past
  piece_id   INTEGER NOT NULL DEFAULT 0,  -- that was made, or that is there already
  n          INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (regular_id, key)
);
CREATE INDEX regular_date_piece ON regular_date (piece_id) WHERE piece_id <> 0;
