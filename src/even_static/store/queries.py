"""Every question that is asked of the calls' tables, with what it answers."""

from __future__ import annotations

# All calls in one of some states, newest first, whose title or complaint holds a text, from a place in the list on.
LIST_CALLS = """
SELECT id, title, country, complaint, scans, changes, created_at, updated_at, state, time_zone, kind
  FROM call
 WHERE folded LIKE :like ESCAPE '\\'
   AND (:state = '' AND state <> 'archived' OR state = :state)
 ORDER BY updated_at DESC, id DESC
 LIMIT :most OFFSET :skip
"""


COUNT_CALLS = """
SELECT count(*) FROM call
 WHERE folded LIKE :like ESCAPE '\\' AND (:state = '' AND state <> 'archived' OR state = :state)
"""


NEWEST_STEP = "SELECT revision FROM call WHERE id = :id"


ONE_STEP = "SELECT made_at, contents FROM step WHERE call_id = :id AND number = :number"


PARTS = "SELECT id, json_deflated FROM part WHERE call_id = :id AND id IN (SELECT value FROM json_each(:ids))"


# The last thing that somebody did and that still stands, up to a step, when nothing was done on nodes since.
UNDO_OF = """
SELECT number, summary FROM step s
 WHERE call_id = :id AND author = :author AND kind = 'step' AND live = 1 AND number > 1 AND number <= :upto
   AND NOT EXISTS (SELECT 1 FROM step WHERE call_id = :id AND number >= s.number AND done_outside = 1 AND live = 1)
 ORDER BY number DESC LIMIT 1
"""


# The last thing that somebody took back and that still stands so, when they have done nothing since.
REDO_OF = """
SELECT number, summary FROM step s
 WHERE call_id = :id AND author = :author AND kind = 'undo' AND live = 1 AND number <= :upto
   AND NOT EXISTS (SELECT 1 FROM step WHERE call_id = :id AND number > s.number AND author = :author
                      AND kind = 'step' AND live = 1)
   AND NOT EXISTS (SELECT 1 FROM step WHERE call_id = :id AND number > s.number AND done_outside = 1 AND live = 1)
 ORDER BY number DESC LIMIT 1
"""


# What still stands after a step.
AFTER = """
SELECT number, summary, author, kind, done_outside FROM step
 WHERE call_id = :id AND number > :number AND live = 1 ORDER BY number DESC
"""


TAKE_BACK = "INSERT INTO taken_back (call_id, by_number, number) VALUES (:id, :by, :number)"


SET_LIVE = "UPDATE step SET live = :live WHERE call_id = :id AND number = :number"


TAKEN_BACK_BY = "SELECT number FROM taken_back WHERE call_id = :id AND by_number = :by"


INSERT_CALL = """
INSERT INTO call
       (id, title, country, complaint, scans, changes, created_at, updated_at, revision, folded, time_zone, kind)
VALUES (:id, :title, :country, :complaint, :scans, :changes, :at, :at, :revision, :folded, :time_zone, :kind)
"""


NEXT_CALL = "UPDATE counter SET next = next + 1 WHERE name = 'call' RETURNING next - 1"


UPDATE_CALL = """
UPDATE call
   SET title = :title, country = :country, complaint = :complaint, scans = :scans, changes = :changes,
       updated_at = :at, revision = :revision, folded = :folded, time_zone = :time_zone
 WHERE id = :id
"""


# The history's times never go back, also where the system's clock was set back between two runs of the program.
NEWEST_TIME = "SELECT max(made_at) FROM step WHERE call_id = :id"
INSERT_STEP = """
INSERT INTO step (call_id, number, made_at, summary, author, kind, live, done_outside, contents)
VALUES (:id, :number, :at, :summary, :author, :kind, 1, :done_outside, :contents)
"""


SET_STATE = "UPDATE call SET state = :state, updated_at = :at WHERE id = :id"


# A delivery has arrived while the step that it became still stands.
DELIVERED = """
SELECT 1 FROM delivery d JOIN step s ON s.call_id = d.call_id AND s.number = d.revision
 WHERE d.call_id = :id AND d.key = :key AND s.live = 1
"""


INSERT_DELIVERY = """
INSERT INTO delivery (call_id, key, revision) VALUES (:id, :key, :revision)
    ON CONFLICT (call_id, key) DO UPDATE SET revision = :revision
"""


INSERT_PHOTO = "INSERT OR IGNORE INTO photo (call_id, id, jpeg) VALUES (:call, :id, :jpeg)"


ONE_PHOTO = "SELECT jpeg FROM photo WHERE call_id = :call AND id = :id"


HISTORY = """
SELECT number, made_at, summary, done_outside, author, kind, live FROM step
 WHERE call_id = :id AND number < :before ORDER BY number DESC LIMIT :most
"""


INSERT_ASIDE = """
INSERT INTO set_aside (call_id, number, field, rule, json_deflated) VALUES (:id, :number, :field, :rule, :json)
"""


ASIDE = "SELECT field, rule, json_deflated FROM set_aside WHERE call_id = :id ORDER BY rowid LIMIT 1000"
