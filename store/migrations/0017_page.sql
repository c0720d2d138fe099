-- The name of a page is one among those of whoever opened it.

-- +goose Up
DROP INDEX copy_edit_once;
CREATE UNIQUE INDEX copy_edit_once ON copy_edit (piece_id, by, client, turn);

-- +goose Down
DROP INDEX copy_edit_once;
CREATE UNIQUE INDEX copy_edit_once ON copy_edit (piece_id, client, turn);
