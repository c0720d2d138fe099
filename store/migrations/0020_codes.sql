-- +goose Up
-- The stage of a piece is a code; lists have commas between what they hold.
UPDATE piece SET stage = 'running' WHERE stage = 'under way';
UPDATE undo SET state = replace(state, '"Stage":"under way"', '"Stage":"running"') WHERE instr(state, '"Stage":"under way"') > 0;
UPDATE copy SET people = replace(people, ' ', ',') WHERE instr(people, ' ') > 0;
