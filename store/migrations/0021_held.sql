-- +goose Up
-- The day on which a running leg came to whoever has it, from which their days are counted. Of
-- before it is known for those who took theirs.
ALTER TABLE leg ADD COLUMN held_day INTEGER NOT NULL DEFAULT 0;
UPDATE leg SET held_day = taken_at / 86400 WHERE state = 'running' AND taken_at > started_at;
