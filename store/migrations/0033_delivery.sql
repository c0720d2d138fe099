-- +goose Up
-- What goes out is kept as it went out, and brought to each place where it goes.
ALTER TABLE channel ADD COLUMN outlet TEXT NOT NULL DEFAULT ''; -- JSON, by what pieces get there; none is the shipped site
ALTER TABLE piece ADD COLUMN address TEXT NOT NULL DEFAULT ''; -- where it is, once it is there
ALTER TABLE piece ADD COLUMN corrects INTEGER NOT NULL DEFAULT 0; -- since when what is out is being corrected
CREATE TABLE printing ( -- a piece as readers get it, from a moment on
  id       INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece (id),
  at       INTEGER NOT NULL,
  by       INTEGER NOT NULL DEFAULT 0,
  note     TEXT NOT NULL DEFAULT '', -- what was corrected
  says     TEXT NOT NULL DEFAULT ''  -- JSON; none is the piece as it is now
);
CREATE INDEX printing_piece ON printing (piece_id, id);
CREATE TABLE delivery ( -- a place where a piece goes
  id         INTEGER PRIMARY KEY,
  piece_id   INTEGER NOT NULL REFERENCES piece (id),
  channel_id INTEGER NOT NULL REFERENCES channel (id),
  part       TEXT NOT NULL,               -- main, also, was
  days       INTEGER NOT NULL DEFAULT 0,  -- after it is out
  at         INTEGER NOT NULL DEFAULT 0,  -- the time, 0 until the piece is out
  fixed      INTEGER NOT NULL DEFAULT 0,  -- the time was chosen, and does not follow from the days
  line       TEXT NOT NULL DEFAULT '',    -- what is said of it there
  wants      INTEGER NOT NULL DEFAULT 0,  -- the printing that is to be there
  has        INTEGER NOT NULL DEFAULT 0,  -- and the one that is
  trying     INTEGER NOT NULL DEFAULT 0,  -- what may be half on its way: a printing, or -1 for taking it down
  address    TEXT NOT NULL DEFAULT '',
  kind       TEXT NOT NULL DEFAULT 'site', -- by what it got there
  since      INTEGER NOT NULL DEFAULT 0,
  media      TEXT NOT NULL DEFAULT '{}',  -- JSON, where its pictures are
  tries      INTEGER NOT NULL DEFAULT 0,
  next_at    INTEGER NOT NULL DEFAULT 0,
  problem    TEXT NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX delivery_piece ON delivery (piece_id, channel_id);
CREATE INDEX delivery_due ON delivery (next_at) WHERE wants <> has;
CREATE INDEX delivery_line ON delivery (channel_id, at) WHERE part = 'also';
CREATE TABLE reader ( -- of a letter that the desk sends itself
  id         INTEGER PRIMARY KEY,
  channel_id INTEGER NOT NULL REFERENCES channel (id),
  mail       TEXT NOT NULL,
  since      INTEGER NOT NULL,
  stopped_at INTEGER NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX reader_mail ON reader (channel_id, mail);
CREATE TABLE letter ( -- a letter that is sent to many
  id      INTEGER PRIMARY KEY,
  key     TEXT NOT NULL UNIQUE,
  sender  TEXT NOT NULL DEFAULT '',
  subject TEXT NOT NULL,
  text    TEXT NOT NULL,
  html    TEXT NOT NULL
);
ALTER TABLE outbox ADD COLUMN letter_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE outbox ADD COLUMN reader_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE site_page ADD COLUMN moved TEXT NOT NULL DEFAULT ''; -- the last part of the address where it is now
ALTER TABLE site_page ADD COLUMN extra TEXT NOT NULL DEFAULT '{}'; -- JSON, what goes with it
-- What is out already is as it is now: nothing of it could be changed since.
INSERT INTO printing (piece_id, at) SELECT id, out_at FROM piece WHERE stage = 'out' AND channel_id <> 0;
INSERT INTO delivery (piece_id, channel_id, part, at, wants, has, since, address)
  SELECT piece.id, piece.channel_id, 'main', out_at, printing.id,
    CASE WHEN EXISTS (SELECT 1 FROM outbox WHERE outbox.piece_id = piece.id AND kind = 'publish' AND sent_at = 0) THEN 0 ELSE printing.id END, out_at,
    COALESCE((SELECT '/site/' || channel || '/' || site_page.slug FROM site_page WHERE site_page.piece_id = piece.id AND gone = 0 ORDER BY updated DESC LIMIT 1), '')
  FROM piece JOIN printing ON printing.piece_id = piece.id;
UPDATE piece SET address = (SELECT address FROM delivery WHERE piece_id = piece.id) WHERE EXISTS (SELECT 1 FROM delivery WHERE piece_id = piece.id);
DELETE FROM outbox WHERE kind IN ('publish', 'withdraw') AND sent_at = 0;
