-- People who sign in at a provider by OpenID Connect: who they are there, '' for who do not.
ALTER TABLE people ADD COLUMN openid TEXT NOT NULL DEFAULT '';
CREATE UNIQUE INDEX people_openid ON people (openid) WHERE openid <> '';
-- The groups that kept answers are shared with, JSON; those that everybody sees have none.
ALTER TABLE kept_answers ADD COLUMN groups TEXT NOT NULL DEFAULT '[]';
