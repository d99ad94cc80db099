#include "side_by_side.h"

#include <algorithm>
#include <new>

#include "roads.h"

namespace ronda::core {
namespace {

constexpr std::size_t most_record_bytes = 64;  // a cache line

// A copy pays where right rows are picked in no order, each about once or more,
// and the columns are larger than the caches.
bool copy_pays(const Context& context, const Expansion& lines) {
  return lines.right_rows() >= 32 * context.chunk_rows &&
         lines.right_rows() / 2 <= lines.size() && lines.jumps_about();
}

// the next record begins where the widest value may stand
std::size_t record_bytes(std::size_t values, std::size_t widest) {
  return (values + widest - 1) / widest * widest;
}

template <class T>
void copy_apart(const ColumnJob& job, std::size_t step, std::size_t begin,
                std::size_t end, unsigned char* to) {
  const T* from = static_cast<const T*>(job.from);
  for (std::size_t i = begin; i < end; ++i)
    *reinterpret_cast<T*>(to + i * step) = from[i];
}

}  // namespace

// The memory of a round's copy and of all columns written up to it is at most a
// quarter more than that of the result.
std::vector<ColumnRound> rounds_of(const Context& context,
                                   const Expansion& lines,
                                   const std::vector<ColumnJob>& jobs) {
  std::vector<ColumnJob> beside;
  ColumnRound rest;
  std::size_t line_bytes = 0;
  for (const ColumnJob& job : jobs) {
    if (job.right && job.from)
      beside.push_back(job);
    else
      rest.jobs.push_back(job);
    line_bytes += job.from ? job.width : sizeof(Row);
  }
  if (beside.size() < 2 || !copy_pays(context, lines))
    return {ColumnRound{jobs, 0}};
  // the widest first: then every value stands at a multiple of its width
  std::stable_sort(
      beside.begin(), beside.end(),
      [](const ColumnJob& a, const ColumnJob& b) { return a.width > b.width; });
  auto needs = [&](std::size_t copied, std::size_t written) {
    return static_cast<double>(copied) *
               static_cast<double>(lines.right_rows()) +
           static_cast<double>(written) * static_cast<double>(lines.size());
  };
  const double room = 1.25 * needs(0, line_bytes);
  std::vector<ColumnRound> rounds;
  std::size_t written = 0;  // bytes a line
  auto next = beside.begin();
  for (;;) {
    ColumnRound round;
    const auto first = next;
    std::size_t values = 0;
    for (; next != beside.end(); ++next) {
      values += next->width;
      const std::size_t record = record_bytes(values, first->width);
      if (record > most_record_bytes || needs(record, written + values) > room)
        break;
      round.record = record;
    }
    if (next - first < 2) {
      next = first;
      break;
    }
    round.jobs.assign(first, next);
    for (const ColumnJob& job : round.jobs) written += job.width;
    rounds.push_back(std::move(round));
  }
  rest.jobs.insert(rest.jobs.end(), next, beside.end());
  if (!rest.jobs.empty()) rounds.push_back(std::move(rest));
  return rounds;
}

SideBySide::SideBySide(const Context& context, std::size_t right_rows,
                       ColumnRound round)
    : jobs_(std::move(round.jobs)) {
  const std::size_t step = round.record;
  if (step == 0) return;
  take_road(Road::columns_side_by_side);
  try {
    records_ = Buffer<unsigned char>(right_rows * step);
  } catch (const std::bad_alloc&) {
    return;
  }
  constexpr std::size_t block = 1024;  // rows whose records stay in the cache
  for_chunks(context, right_rows,
             [&](std::size_t, std::size_t begin, std::size_t end) {
               for (std::size_t from = begin; from < end; from += block) {
                 const std::size_t to = std::min(end, from + block);
                 std::size_t at = 0;
                 for (const ColumnJob& job : jobs_) {
                   with_value_type(job.width, [&](auto value) {
                     copy_apart<decltype(value)>(job, step, from, to,
                                                 records_.data() + at);
                   });
                   at += job.width;
                 }
               }
             });
  std::size_t at = 0;
  for (ColumnJob& job : jobs_) {
    job.from = records_.data() + at;
    job.step = step;
    at += job.width;
  }
}

}  // namespace ronda::core
