-- Whether all of a result was handed on; of runs before this was kept, it is taken for so.
ALTER TABLE receipts ADD COLUMN sent INTEGER NOT NULL DEFAULT 0;
UPDATE receipts SET sent = 1;
