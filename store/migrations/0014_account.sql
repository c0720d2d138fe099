-- Signing in: visits that are listed and ended, known devices, one-time codes, access that was ended.

-- +goose Up
ALTER TABLE person ADD COLUMN barred_at INTEGER NOT NULL DEFAULT 0;  -- since when they can no longer sign in
ALTER TABLE person ADD COLUMN otp TEXT NOT NULL DEFAULT '';          -- the secret of one-time codes (RFC 6238), base32; empty for none
ALTER TABLE person ADD COLUMN otp_used INTEGER NOT NULL DEFAULT 0;   -- the last step of which a code was taken, so that none counts twice

CREATE TABLE visit (
  id INTEGER PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES person(id),
  began_at INTEGER NOT NULL,
  agent TEXT NOT NULL,
  host TEXT NOT NULL,
  ended_at INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX visit_of_person ON visit (person_id, id);

CREATE TABLE device (
  hash TEXT PRIMARY KEY,               -- SHA-256 of what its cookie says
  person_id INTEGER NOT NULL REFERENCES person(id),
  at INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

ALTER TABLE guess ADD COLUMN device TEXT NOT NULL DEFAULT '';        -- of a device that is known

-- +goose Down
ALTER TABLE guess DROP COLUMN device; DROP TABLE device; DROP TABLE visit;
ALTER TABLE person DROP COLUMN otp_used; ALTER TABLE person DROP COLUMN otp; ALTER TABLE person DROP COLUMN barred_at;
