-- +goose Up
-- The channels on which the pieces of a format go out, by id with commas between; none said is any of the desk.
ALTER TABLE format ADD COLUMN channels TEXT NOT NULL DEFAULT '';
