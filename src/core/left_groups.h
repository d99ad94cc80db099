// The left rows listed by group, as right rows are: so they can be sorted
// within each, too.
#pragma once
#include "list_rows.h"
#include "ordered_rules.h"

namespace ronda::core {

struct LeftGroups {
  Buffer<Row> starts, rows;
  Groups view;
  LeftGroups(const Context& context, const Groups& groups)
      : starts(groups.groups + 1), rows(groups.left_rows) {
    list_rows(context, groups.group, groups.left_rows, groups.groups,
              starts.data(), rows.data());
    view.right_rows = groups.left_rows;
    view.starts = starts.data();
    view.rows = rows.data();
    view.groups = groups.groups;
  }
};

}  // namespace ronda::core
