-- +goose Up
-- Drawings of circuits, each as it was drawn once: the same text by the same rules is never drawn twice.
CREATE TABLE drawings (
    sum     text        NOT NULL, -- SHA-256 of the harness file
    version integer     NOT NULL, -- of the rules of drawing
    sheet   bytea       NOT NULL,
    used_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (sum, version)
);
CREATE INDEX drawings_used ON drawings (used_at);

-- +goose Down
DROP TABLE drawings;
