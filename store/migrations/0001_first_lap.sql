-- Dates are days since 1 January 1970, moments are seconds since then (UTC); 0 stands for none.
-- +goose Up
CREATE TABLE desk (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  zone TEXT NOT NULL,
  weekdays TEXT NOT NULL,             -- seven of 0 and 1, Sunday first
  country TEXT NOT NULL DEFAULT '',
  margin INTEGER NOT NULL DEFAULT 0,
  quiet_after INTEGER NOT NULL DEFAULT 3,
  no_room INTEGER NOT NULL DEFAULT 0,
  pass_by TEXT NOT NULL DEFAULT 'holder'
) STRICT;

CREATE TABLE holiday (
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  date INTEGER NOT NULL,
  name TEXT NOT NULL,
  PRIMARY KEY (desk_id, date)
) STRICT;

CREATE TABLE channel (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  name TEXT NOT NULL,
  slug TEXT NOT NULL UNIQUE
) STRICT;

CREATE TABLE slot (
  id INTEGER PRIMARY KEY,
  channel_id INTEGER NOT NULL REFERENCES channel(id),
  rule TEXT NOT NULL,
  start INTEGER NOT NULL,
  at INTEGER NOT NULL
) STRICT;

CREATE TABLE person (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  initials TEXT NOT NULL,
  mail TEXT NOT NULL UNIQUE COLLATE NOCASE,
  password TEXT NOT NULL DEFAULT '',
  access TEXT NOT NULL,
  does TEXT NOT NULL DEFAULT '',      -- what they do, in a few words
  hours TEXT NOT NULL,                -- minutes a day, Sunday first, with commas
  sessions INTEGER NOT NULL DEFAULT 0, -- grows when they sign out everywhere
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE person_role (
  person_id INTEGER NOT NULL REFERENCES person(id),
  role TEXT NOT NULL,
  PRIMARY KEY (person_id, role)
) STRICT;

CREATE TABLE person_desk (
  person_id INTEGER NOT NULL REFERENCES person(id),
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  PRIMARY KEY (person_id, desk_id)
) STRICT;

CREATE TABLE absence (
  id INTEGER PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES person(id),
  from_day INTEGER NOT NULL,
  to_day INTEGER NOT NULL,
  note TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE TABLE format (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  channel_id INTEGER NOT NULL REFERENCES channel(id),
  name TEXT NOT NULL,
  words_from INTEGER NOT NULL DEFAULT 0,
  words_to INTEGER NOT NULL DEFAULT 0,
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE route (
  id INTEGER PRIMARY KEY,
  format_id INTEGER NOT NULL REFERENCES format(id),
  version INTEGER NOT NULL,
  legs TEXT NOT NULL,                 -- JSON, as in package route
  UNIQUE (format_id, version)
) STRICT;

CREATE TABLE piece (
  id INTEGER PRIMARY KEY,
  number INTEGER NOT NULL UNIQUE,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  format_id INTEGER NOT NULL REFERENCES format(id),
  route_id INTEGER NOT NULL REFERENCES route(id),
  channel_id INTEGER NOT NULL REFERENCES channel(id),
  title TEXT NOT NULL,
  owner INTEGER NOT NULL REFERENCES person(id),
  goes_out INTEGER NOT NULL DEFAULT 0,
  stage TEXT NOT NULL,
  brief TEXT NOT NULL DEFAULT '',
  words_from INTEGER NOT NULL DEFAULT 0,
  words_to INTEGER NOT NULL DEFAULT 0,
  summary TEXT NOT NULL DEFAULT '',
  version INTEGER NOT NULL DEFAULT 1,
  copy_version INTEGER NOT NULL DEFAULT 0,
  created_at INTEGER NOT NULL,
  out_at INTEGER NOT NULL DEFAULT 0,
  missed_at INTEGER NOT NULL DEFAULT 0,
  -- What follows is worked out from the rest and kept so that lists can sort and filter by it.
  pace TEXT NOT NULL DEFAULT '',
  in_hand INTEGER NOT NULL DEFAULT 0,
  quiet INTEGER NOT NULL DEFAULT 0,
  is_quiet INTEGER NOT NULL DEFAULT 0,
  open_leg INTEGER NOT NULL DEFAULT 0,
  next_due INTEGER NOT NULL DEFAULT 0,
  holders TEXT NOT NULL DEFAULT '',
  could_go_out INTEGER NOT NULL DEFAULT 0,
  cause TEXT NOT NULL DEFAULT '',
  worked_out INTEGER NOT NULL DEFAULT 0
) STRICT;
-- One index for each way a list is sorted; what has no value comes last.
CREATE INDEX piece_by_number ON piece (desk_id, number);
CREATE INDEX piece_by_title ON piece (desk_id, title COLLATE NOCASE, number);
CREATE INDEX piece_by_format ON piece (desk_id, format_id, number);
CREATE INDEX piece_by_holders ON piece (desk_id, holders);
CREATE INDEX piece_by_next_due ON piece (desk_id, next_due = 0, next_due);
CREATE INDEX piece_by_day ON piece (desk_id, goes_out = 0, goes_out);
CREATE INDEX piece_by_pace ON piece (desk_id, pace, in_hand, goes_out, missed_at);
-- And those for what is asked often.
CREATE INDEX piece_under_way ON piece (desk_id, stage, goes_out = 0, goes_out);
CREATE INDEX piece_due_out ON piece (stage, goes_out);
CREATE INDEX piece_worked_out ON piece (desk_id, stage, worked_out);
CREATE INDEX piece_of_owner ON piece (owner, desk_id);
CREATE INDEX piece_on_channel ON piece (channel_id, goes_out);
CREATE INDEX piece_quiet ON piece (desk_id, quiet, goes_out) WHERE is_quiet = 1;
CREATE INDEX piece_open ON piece (desk_id, next_due) WHERE open_leg = 1;

-- Titles by any three letters in a row.
CREATE VIRTUAL TABLE piece_title USING fts5 (title, content = 'piece', content_rowid = 'id', tokenize = 'trigram');
-- +goose StatementBegin
CREATE TRIGGER piece_title_add AFTER INSERT ON piece BEGIN
  INSERT INTO piece_title (rowid, title) VALUES (new.id, new.title);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER piece_title_change AFTER UPDATE OF title ON piece WHEN old.title <> new.title BEGIN
  INSERT INTO piece_title (piece_title, rowid, title) VALUES ('delete', old.id, old.title);
  INSERT INTO piece_title (rowid, title) VALUES (new.id, new.title);
END;
-- +goose StatementEnd

CREATE TABLE leg (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  position INTEGER NOT NULL,
  key TEXT NOT NULL,
  name TEXT NOT NULL,
  role TEXT NOT NULL,
  holder INTEGER NOT NULL DEFAULT 0,
  allowance INTEGER NOT NULL,
  least INTEGER NOT NULL,
  effort INTEGER NOT NULL,
  after TEXT NOT NULL DEFAULT '',
  skip TEXT NOT NULL DEFAULT '',
  words INTEGER NOT NULL DEFAULT 0,
  state TEXT NOT NULL,
  run INTEGER NOT NULL DEFAULT 0,
  rework INTEGER NOT NULL DEFAULT 0,
  reasons TEXT NOT NULL DEFAULT '',
  due INTEGER NOT NULL DEFAULT 0,
  pin INTEGER NOT NULL DEFAULT 0,
  not_before INTEGER NOT NULL DEFAULT 0,
  start_day INTEGER NOT NULL DEFAULT 0,
  end_day INTEGER NOT NULL DEFAULT 0,
  started_at INTEGER NOT NULL DEFAULT 0,
  touched_at INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (piece_id, position)
) STRICT, WITHOUT ROWID;
CREATE INDEX leg_by_holder ON leg (holder, state, due = 0, due, effort);

CREATE TABLE leg_run (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  key TEXT NOT NULL,
  run INTEGER NOT NULL,
  holder INTEGER NOT NULL,
  allowance INTEGER NOT NULL,
  start_day INTEGER NOT NULL,
  end_day INTEGER NOT NULL,
  started_at INTEGER NOT NULL,
  ended_at INTEGER NOT NULL,
  outcome TEXT NOT NULL
) STRICT;
CREATE INDEX leg_run_by_piece ON leg_run (piece_id);

CREATE TABLE step (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  leg TEXT NOT NULL,
  text TEXT NOT NULL,
  must INTEGER NOT NULL DEFAULT 0,
  done_by INTEGER NOT NULL DEFAULT 0,
  done_at INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX step_by_piece ON step (piece_id);

CREATE TABLE copy (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  version INTEGER NOT NULL,
  text TEXT NOT NULL,                 -- JSON, as in package copy
  words INTEGER NOT NULL,
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (piece_id, version)
) STRICT;

-- A text that was written on an older version of the copy, kept beside it.
CREATE TABLE aside (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  based_on INTEGER NOT NULL,
  text TEXT NOT NULL,
  words INTEGER NOT NULL,
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  settled_at INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX aside_by_piece ON aside (piece_id, settled_at);

CREATE TABLE logbook (
  seq INTEGER PRIMARY KEY,
  at INTEGER NOT NULL,
  desk_id INTEGER NOT NULL,
  piece_id INTEGER NOT NULL DEFAULT 0,
  actor INTEGER NOT NULL,             -- 0 is the program itself
  act TEXT NOT NULL,
  what TEXT NOT NULL,
  why TEXT NOT NULL DEFAULT '',
  before TEXT NOT NULL DEFAULT '',
  after TEXT NOT NULL DEFAULT '',
  version INTEGER NOT NULL DEFAULT 0, -- of the piece, after the act
  prev TEXT NOT NULL,
  hash TEXT NOT NULL
) STRICT;
CREATE INDEX logbook_by_piece ON logbook (piece_id, seq);
CREATE INDEX logbook_by_desk ON logbook (desk_id, seq);
-- +goose StatementBegin
CREATE TRIGGER logbook_stays BEFORE UPDATE ON logbook BEGIN SELECT RAISE(ABORT, 'the logbook cannot be changed'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER logbook_keeps BEFORE DELETE ON logbook BEGIN SELECT RAISE(ABORT, 'the logbook cannot be changed'); END;
-- +goose StatementEnd

CREATE TABLE inbox (
  id INTEGER PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES person(id),
  piece_id INTEGER NOT NULL DEFAULT 0,
  kind TEXT NOT NULL,
  text TEXT NOT NULL,
  why TEXT NOT NULL DEFAULT '',
  at INTEGER NOT NULL,
  read_at INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX inbox_by_person ON inbox (person_id, id);
CREATE INDEX inbox_unread ON inbox (person_id) WHERE read_at = 0;

CREATE TABLE outbox (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL UNIQUE,           -- the same message is never queued twice
  kind TEXT NOT NULL,                 -- mail, publish, withdraw
  piece_id INTEGER NOT NULL DEFAULT 0,
  "to" TEXT NOT NULL,
  subject TEXT NOT NULL DEFAULT '',
  body TEXT NOT NULL DEFAULT '',
  at INTEGER NOT NULL,
  tries INTEGER NOT NULL DEFAULT 0,
  next_at INTEGER NOT NULL DEFAULT 0,
  sent_at INTEGER NOT NULL DEFAULT 0,
  problem TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX outbox_waiting ON outbox (next_at) WHERE sent_at = 0;
CREATE INDEX outbox_by_kind ON outbox (kind, id);

-- What the stand-in channel site shows.
CREATE TABLE site_page (
  channel TEXT NOT NULL,
  slug TEXT NOT NULL,
  piece_id INTEGER NOT NULL,
  title TEXT NOT NULL,
  summary TEXT NOT NULL,
  author TEXT NOT NULL,
  body TEXT NOT NULL,                 -- HTML
  published INTEGER NOT NULL,
  updated INTEGER NOT NULL,
  gone INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (channel, slug)
) STRICT;
CREATE INDEX site_page_by_day ON site_page (channel, gone, published);

CREATE TABLE session (
  token TEXT PRIMARY KEY,
  data BLOB NOT NULL,
  ends REAL NOT NULL
) STRICT, WITHOUT ROWID;

-- Tries to sign in that were not right, or not yet known to be.
CREATE TABLE guess (
  mail TEXT NOT NULL,
  host TEXT NOT NULL,
  at INTEGER NOT NULL
) STRICT;
CREATE INDEX guess_by_mail ON guess (mail, at);
CREATE INDEX guess_by_host ON guess (host, at);

CREATE TABLE setting (
  name TEXT PRIMARY KEY,
  value TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE setting; DROP TABLE guess; DROP TABLE session; DROP TABLE site_page; DROP TABLE outbox; DROP TABLE inbox;
DROP TABLE logbook; DROP TABLE aside; DROP TABLE copy; DROP TABLE step; DROP TABLE leg_run; DROP TABLE leg; DROP TABLE piece_title; DROP TABLE piece;
DROP TABLE route; DROP TABLE format; DROP TABLE absence; DROP TABLE person_desk; DROP TABLE person_role; DROP TABLE person;
DROP TABLE slot; DROP TABLE channel; DROP TABLE holiday; DROP TABLE desk;
