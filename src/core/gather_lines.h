// All columns of a result in one pass over the pairs (in a few where columns
// are laid side by side first). The row numbers of a few thousand lines are
// worked out, used for every column while they are in the cache, and forgotten:
// they are never written out.
#pragma once
#include <algorithm>
#include <cstring>
#include <vector>

#include "gather.h"
#include "pairs.h"
#include "side_by_side.h"

namespace ronda::core {

template <class T>
void gather_block(const ColumnJob& job, const LineBlock& block) {
  const T* from = static_cast<const T*>(job.from);
  T* to = static_cast<T*>(job.to) + block.at;
  if (!job.right && !block.left) {
    std::copy_n(from + block.at, block.size, to);
    return;
  }
  if (!job.right) {
    for (std::size_t k = 0; k < block.size; ++k)
      to[k] = from[block.left[k] - 1];
    return;
  }
  T missing;
  std::memcpy(&missing, job.missing, sizeof missing);
  if (job.step == 0)
    return gather_rows(from, block.right, block.size, missing, to);
  const char* values = static_cast<const char*>(job.from);
  const auto step = static_cast<std::ptrdiff_t>(job.step);
  gather_values_of(
      [values, step](Row row) {
        return reinterpret_cast<const T*>(values + (row - 1) * step);
      },
      block.right, block.size, missing, to);
}

inline void run_job(const ColumnJob& job, const LineBlock& block) {
  if (!job.from) {
    std::memcpy(static_cast<Row*>(job.to) + block.at, block.right,
                block.size * sizeof(Row));
    return;
  }
  with_value_type(job.width, [&](auto value) {
    gather_block<decltype(value)>(job, block);
  });
}

inline void gather_lines(const Context& context, const Expansion& lines,
                         const std::vector<ColumnJob>& jobs) {
  for (ColumnRound& round : rounds_of(context, lines, jobs)) {
    const SideBySide columns(context, lines.right_rows(), std::move(round));
    lines.for_blocks([&](const LineBlock& block) {
      for (const ColumnJob& job : columns.jobs()) run_job(job, block);
    });
  }
}

}  // namespace ronda::core
