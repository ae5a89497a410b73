-- Words that changed: what stands for a row is its digest, and how many records are left
-- after each condition are the condition counts.
ALTER TABLE receipts RENAME COLUMN marks TO digests;
UPDATE receipts SET body = CAST(replace(CAST(body AS TEXT), '"sieve":', '"condition_counts":') AS BLOB)
  WHERE instr(body, CAST('"sieve":' AS BLOB)) > 0;
