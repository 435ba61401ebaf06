-- +goose Up
-- A picture for patches, under the digest of its content. Rows never change; documents
-- point at them.
CREATE TABLE graphic (
    id      text PRIMARY KEY,
    png     bytea NOT NULL,
    created timestamptz NOT NULL DEFAULT now()
);
-- A named way of concealing. Covers hold what they follow; a change is made in all of
-- them at once.
CREATE TABLE style (
    id        text PRIMARY KEY,
    programme text NOT NULL REFERENCES programme ON DELETE CASCADE,
    name      text NOT NULL,
    kinds     jsonb NOT NULL, -- of items that get it when they are covered
    style     jsonb NOT NULL, -- cover.Style
    created   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX style_programme ON style (programme, created);

-- +goose Down
DROP TABLE style;
DROP TABLE graphic;
