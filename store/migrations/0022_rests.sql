-- +goose Up
-- What becomes of the slots of a channel on days off: they rest, as nothing says otherwise.
ALTER TABLE channel ADD COLUMN rests TEXT NOT NULL DEFAULT '';
