-- +goose Up
-- The addresses of a desk's own people, whose visits are no visits.
ALTER TABLE desk ADD COLUMN own_hosts TEXT NOT NULL DEFAULT ''; -- addresses and spans of them, a line each
