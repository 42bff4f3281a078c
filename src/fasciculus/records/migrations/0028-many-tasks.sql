-- What is asked of a run at the end of each of its tasks, without reading all of its tasks and lines.
DROP INDEX task_run;
CREATE INDEX task_run ON task(run_id, state, bytes, packed);
CREATE INDEX log_line_warning ON log_line(run_id, subject) WHERE level = 'warning';
