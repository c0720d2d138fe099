-- When a visit was last used, so that one that is not used ends.

-- +goose Up
ALTER TABLE visit ADD COLUMN used_at INTEGER NOT NULL DEFAULT 0;
UPDATE visit SET used_at = MAX(began_at, CAST(strftime('%s', 'now') AS INTEGER)) WHERE ended_at = 0;

-- +goose Down
ALTER TABLE visit DROP COLUMN used_at;
