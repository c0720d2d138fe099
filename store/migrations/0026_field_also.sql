-- +goose Up
-- An extra field belongs to the desk: the formats beside the one it was made for that show it, by id with commas between.
ALTER TABLE field ADD COLUMN also TEXT NOT NULL DEFAULT '';
