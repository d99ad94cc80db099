// One value of the partners of each left row: how many they are, their sum,
// mean, smallest and so on of one column. What comes out is what R gives for
// the partners' values in right order, to the bit: sums are carried in long
// double, as R's are. No pair is written out.
#pragma once
#include <limits>
#include <vector>

#include "missing.h"
#include "pairs.h"

namespace ronda::core {

enum class FoldBy {
  rows,
  sum,
  mean,
  min,
  max,
  any,
  all,
  distinct,
  first,
  last
};
enum class FoldType { none, int32, real };

// What is asked, and where it goes: `out` has one place a left row, an int for
// counts, flags, row numbers and sums of ints, else a double.
struct FoldJob {
  FoldBy by = FoldBy::rows;
  FoldType type = FoldType::none;
  bool drop_missing = false;
  const void* values = nullptr;  // of the right rows; distinct: codes from 0 on
  std::size_t codes = 0;         // distinct: how many there are
  void* out = nullptr;
  // sums that no int holds, and rows without a value to take the end of
  std::atomic<std::size_t> too_large{0}, no_value{0};
};
using FoldJobs = std::vector<FoldJob*>;

// Takes the partners of left rows, a few thousand at a time, and makes of them
// what the jobs ask for. One a thread.
class Folder {
 public:
  explicit Folder(const FoldJobs& jobs);
  // more partners of the left row that is open
  void add(const Row* rows, std::size_t n) {
    if (size_ + n > rows_.size()) rows_.resize(2 * (size_ + n));
    for (std::size_t k = 0; k < n; ++k) rows_[size_ + k] = rows[k];
    size_ += n;
  }
  // those added since the last call are all of left row i
  void close(std::size_t i) {
    several_ += size_ - begun_ > 1;
    ends_.push_back({i, size_});
    begun_ = size_;
    if (size_ >= most_ || ends_.size() >= most_) flush();
  }
  // left row i has the n right rows from `first` (0-based) on: their values
  // stand in a row already
  void span(std::size_t i, std::size_t first, std::size_t n);
  void flush();
  // how many left rows that were closed have several partners
  std::size_t several() const { return several_; }

 private:
  struct End {
    std::size_t left, stop;
  };
  // the values of one column for all rows that wait
  struct Values {
    const double* real = nullptr;
    const std::int32_t* int32 = nullptr;
  };
  Values fetch(const FoldJob& job);
  // does the job for each(use): use(left, begin, n) for some left rows
  template <class Each>
  void run(FoldJob& job, std::size_t number, const Values& values,
           const Row* rows, Each&& each);
  static constexpr std::size_t most_ = 8192;
  const FoldJobs& jobs_;
  std::vector<Row> rows_;
  std::size_t size_ = 0, begun_ = 0, several_ = 0;
  std::vector<End> ends_;
  std::vector<double> reals_;
  std::vector<std::int32_t> ints_;
  const void* fetched_ = nullptr;
  // distinct: in which left row (from 1 on) each code was seen last, by job
  std::vector<std::vector<std::size_t>> seen_;
};

// `by_range`: each range once, and what it gives for all left rows that share
// it
// Gives how many left rows have several partners.
std::size_t fold_pairs(const Context& context, const PairsView& pairs,
                       bool by_range, const FoldJobs& jobs);

// one for each thread
std::vector<Folder> make_folders(const Context& context, const FoldJobs& jobs);

}  // namespace ronda::core
