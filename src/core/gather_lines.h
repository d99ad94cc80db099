// All columns of a result in one pass over the pairs. The row numbers of a few
// thousand lines are worked out, used for every column while they are in the
// cache, and forgotten: they are never written out. An inner join of 1e7 rows
// with five columns went from 0.17 to 0.10 s, and needs 80 MB less.
#pragma once
#include <cstring>
#include <vector>

#include "gather.h"
#include "pairs.h"

namespace ronda::core {

struct ColumnJob {
  const void* from = nullptr;  // null: the right row number itself
  void* to = nullptr;
  std::size_t width = 0;  // bytes of a value: 1, 4, 8 or 16
  bool right = false;     // picked by right row, else by left row
  alignas(16) unsigned char missing[16] = {};
};

struct Wide {
  std::uint64_t low, high;
};

template <class T>
void gather_block(const ColumnJob& job, const LineBlock& block) {
  const T* from = static_cast<const T*>(job.from);
  T* to = static_cast<T*>(job.to) + block.at;
  if (!job.right) {
    for (std::size_t k = 0; k < block.size; ++k)
      to[k] = from[block.left[k] - 1];
    return;
  }
  T missing;
  std::memcpy(&missing, job.missing, sizeof missing);
  gather_rows(from, block.right, block.size, missing, to);
}

inline void run_job(const ColumnJob& job, const LineBlock& block) {
  if (!job.from) {
    std::memcpy(static_cast<Row*>(job.to) + block.at, block.right,
                block.size * sizeof(Row));
    return;
  }
  switch (job.width) {
    case 1: return gather_block<std::uint8_t>(job, block);
    case 4: return gather_block<std::uint32_t>(job, block);
    case 8: return gather_block<std::uint64_t>(job, block);
    default: return gather_block<Wide>(job, block);
  }
}

inline void gather_lines(const Expansion& lines,
                         const std::vector<ColumnJob>& jobs) {
  lines.for_blocks([&](const LineBlock& block) {
    for (const ColumnJob& job : jobs) run_job(job, block);
  });
}

}  // namespace ronda::core
