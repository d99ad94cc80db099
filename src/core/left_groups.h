// The left rows listed by group, as right rows are: so they can be sorted
// within each, too.
#pragma once
#include <vector>

#include "ordered_rules.h"

namespace ronda::core {

struct LeftGroups {
  std::vector<Row> starts, rows;
  Groups view;
  explicit LeftGroups(const Groups& groups) {
    starts.assign(groups.groups + 1, 0);
    for (std::size_t i = 0; i < groups.left_rows; ++i)
      if (groups.group[i]) ++starts[groups.group[i]];
    for (std::size_t s = 0; s < groups.groups; ++s) starts[s + 1] += starts[s];
    rows.resize(static_cast<std::size_t>(starts.back()));
    std::vector<Row> next(starts);
    for (std::size_t i = 0; i < groups.left_rows; ++i)
      if (groups.group[i])
        rows[next[groups.group[i] - 1]++] = static_cast<Row>(i + 1);
    view.right_rows = groups.left_rows;
    view.starts = starts.data();
    view.rows = rows.data();
    view.groups = groups.groups;
  }
};

}  // namespace ronda::core
