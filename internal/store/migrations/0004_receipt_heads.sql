-- What a list shows of a receipt, JSON of some kB: bodies may be a thousand times as large.
ALTER TABLE receipts ADD COLUMN head BLOB;
