// Right columns laid side by side before they are picked at random. Each value
// picked from a column of its own waits for a line of memory, and in R's pages
// of 4 kB for its address too; picked from a copy in which a right row's values
// stand together, in large pages, they wait once for all.
//
// The copy is made of so many columns at a time as the memory allows: columns
// are picked in rounds, those side by side first, so that the copy is gone
// before the rest of the result is written.
#pragma once
#include <vector>

#include "memory.h"
#include "pairs.h"

namespace ronda::core {

struct ColumnJob {
  const void* from = nullptr;  // null: the right row number itself
  void* to = nullptr;
  std::size_t width = 0;  // bytes of a value: 1, 4, 8 or 16
  std::size_t step = 0;   // bytes from a row's value to the next; 0: the width
  bool right = false;     // picked by right row, else by left row
  alignas(16) unsigned char missing[16] = {};
};

struct Wide {
  std::uint64_t low, high;
};

// use(value) with some value of that many bytes
template <class Use>
void with_value_type(std::size_t width, Use&& use) {
  switch (width) {
    case 1:
      return use(std::uint8_t{});
    case 4:
      return use(std::uint32_t{});
    case 8:
      return use(std::uint64_t{});
    default:
      return use(Wide{});
  }
}

// Columns that are picked in one pass over the lines
struct ColumnRound {
  std::vector<ColumnJob> jobs;
  std::size_t record = 0;  // bytes of a right row's values; 0: no copy is made
};

std::vector<ColumnRound> rounds_of(const Context& context,
                                   const Expansion& lines,
                                   const std::vector<ColumnJob>& jobs);

// The jobs of a round, made to pick from a copy of their columns where that is
// what the round is for. Without the memory for it they pick from the columns.
class SideBySide {
 public:
  SideBySide(const Context& context, std::size_t right_rows, ColumnRound round);
  const std::vector<ColumnJob>& jobs() const { return jobs_; }

 private:
  std::vector<ColumnJob> jobs_;
  Buffer<unsigned char> records_;
};

}  // namespace ronda::core
