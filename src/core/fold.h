// One value of the partners of each left row: how many they are, their sum,
// mean, smallest and so on of one column. What comes out is what R gives for
// the partners' values in right order, to the bit: sums are carried in long
// double, as R's are. No pair is written out.
#pragma once
#include <limits>
#include <vector>

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

// what stands for a missing value
constexpr std::int32_t missing_int = std::numeric_limits<std::int32_t>::min();
double missing_double();  // R's NA, which is one of the NaNs
bool is_missing_double(double value);

// Takes the partners of left rows, a few thousand at a time, and makes of them
// what the jobs ask for. One a thread.
class Folder {
 public:
  explicit Folder(const FoldJobs& jobs);
  // the rows to which the partners of the next left row are added
  std::vector<Row>& rows() { return rows_; }
  // what was added since the last call belongs to left row i
  void close(std::size_t i) {
    ends_.push_back({i, rows_.size()});
    if (rows_.size() >= most_) flush();
  }
  void flush();

 private:
  struct End {
    std::size_t left, stop;
  };
  void fetch(const FoldJob& job);
  void fold(FoldJob& job, std::size_t number, const End& end,
            std::size_t begin);
  static constexpr std::size_t most_ = 4096;
  const FoldJobs& jobs_;
  std::vector<Row> rows_;
  std::vector<End> ends_;
  std::vector<double> reals_;
  std::vector<std::int32_t> ints_;
  const void* fetched_ = nullptr;
  // distinct: in which left row (from 1 on) each code was seen last, by job
  std::vector<std::vector<std::size_t>> seen_;
};

// `by_range`: each range once, and what it gives for all left rows that share
// it
void fold_pairs(const Context& context, const PairsView& pairs, bool by_range,
                const FoldJobs& jobs);

// one for each thread
std::vector<Folder> make_folders(const Context& context, const FoldJobs& jobs);

}  // namespace ronda::core
