-- +goose Up
-- Days off are asked for and entered by leads, where they are entered by everybody for themselves otherwise.
ALTER TABLE desk ADD COLUMN days_asked INTEGER NOT NULL DEFAULT 0;
