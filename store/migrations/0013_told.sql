-- How people are told: by topic, in which hours, of which pieces; chats of desks; words of messages.

-- +goose Up
ALTER TABLE person ADD COLUMN quiet_from INTEGER NOT NULL DEFAULT 1200; -- minutes after midnight
ALTER TABLE person ADD COLUMN quiet_to INTEGER NOT NULL DEFAULT 420;
ALTER TABLE person ADD COLUMN quiet_off INTEGER NOT NULL DEFAULT 1;     -- neither on days off
ALTER TABLE person ADD COLUMN digest_at INTEGER NOT NULL DEFAULT 510;
ALTER TABLE person ADD COLUMN digested INTEGER NOT NULL DEFAULT 0;      -- when the last digest was made

CREATE TABLE person_told (
  person_id INTEGER NOT NULL REFERENCES person(id),
  topic TEXT NOT NULL,
  how TEXT NOT NULL,
  PRIMARY KEY (person_id, topic)
) STRICT, WITHOUT ROWID;

CREATE TABLE follow (
  person_id INTEGER NOT NULL REFERENCES person(id),
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  how TEXT NOT NULL,                   -- follow or mute
  PRIMARY KEY (piece_id, person_id)
) STRICT, WITHOUT ROWID;

ALTER TABLE inbox ADD COLUMN aside_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE inbox ADD COLUMN digest INTEGER NOT NULL DEFAULT 0;         -- 1 waits for the daily mail
CREATE INDEX inbox_digest ON inbox (person_id) WHERE digest = 1;

ALTER TABLE outbox ADD COLUMN person_id INTEGER NOT NULL DEFAULT 0;     -- whom it is for
ALTER TABLE outbox ADD COLUMN topic TEXT NOT NULL DEFAULT '';           -- that they can stop with one click

CREATE TABLE hook (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  name TEXT NOT NULL,
  url TEXT NOT NULL,
  secret TEXT NOT NULL,
  kinds TEXT NOT NULL DEFAULT '',      -- what is posted there without being addressed to anybody, with commas
  is_on INTEGER NOT NULL DEFAULT 1,
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE wording (
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  key TEXT NOT NULL,
  words TEXT NOT NULL,
  PRIMARY KEY (desk_id, key)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE wording; DROP TABLE hook; ALTER TABLE outbox DROP COLUMN topic; ALTER TABLE outbox DROP COLUMN person_id;
DROP INDEX inbox_digest; ALTER TABLE inbox DROP COLUMN digest; ALTER TABLE inbox DROP COLUMN aside_at;
DROP TABLE follow; DROP TABLE person_told;
ALTER TABLE person DROP COLUMN digested; ALTER TABLE person DROP COLUMN digest_at; ALTER TABLE person DROP COLUMN quiet_off;
ALTER TABLE person DROP COLUMN quiet_to; ALTER TABLE person DROP COLUMN quiet_from;
