-- +goose Up
ALTER TABLE delivery ADD reel boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE delivery DROP reel;
