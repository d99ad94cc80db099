# What each kind of task does
file_task_kinds <- function(kind) {
  switch(kind,
    look = function(job, task) look_at_chunk(job$sides[[task$side]], task$chunk),
    levels = function(job, task) {
      path <- job$sides[[task$side]]$chunks$path[task$chunk]
      list(levels = levels_of_file(path, task$columns))
    },
    keys = function(job, task) split_by_keys(job, job$sides[[task$side]], task$chunk),
    sample = function(job, task) sample_anchors(job, task$chunk),
    left_spans = function(job, task) split_left_by_spans(job, task$chunk),
    right_spans = function(job, task) split_right_by_spans(job, task$chunk),
    whole = function(job, task) gather_whole(job),
    join = join_rows, alone = join_right_alone, repeats = find_repeats,
    order = order_result, settle = settle_file,
    stop("file_task_kinds(): unknown kind of task ", kind)
  )
}
