// What the machine must do for a join, and nothing else: two threads read once
// and write once what has to be read and written. The right keys are read and a
// table of row numbers is written, at random; the left keys are read, the table
// is read at random and a row number written for each; every column of the
// result is read (by row number where it comes from the right) and written,
// into fresh memory. Text columns are vectors of R's, which R fills with empty
// texts first. Types, sizes and how many rows find a partner are known
// beforehand; nothing is counted, checked or named. A yardstick for
// bench/floor.R, not part of the package.
#include <Rcpp.h>
#include <omp.h>
#include <sys/mman.h>

#include <chrono>
#include <cstdint>
#include <vector>

namespace {

using Clock = std::chrono::steady_clock;
double since(Clock::time_point start) {
  return std::chrono::duration<double>(Clock::now() - start).count();
}

// fresh memory in large pages, cleared by the system as it is written to
class Memory {
 public:
  explicit Memory(std::size_t bytes) : bytes_(bytes + 64) {
    at_ = mmap(nullptr, bytes_, PROT_READ | PROT_WRITE,
               MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    madvise(at_, bytes_, MADV_HUGEPAGE);
  }
  ~Memory() { munmap(at_, bytes_); }
  Memory(const Memory&) = delete;
  template <class T>
  T* as() {
    return static_cast<T*>(at_);
  }

 private:
  std::size_t bytes_;
  void* at_;
};

constexpr std::size_t ahead = 24;

// `threads` pieces of 0..n
template <class Use>
void in_pieces(int threads, std::size_t n, Use use) {
#pragma omp parallel num_threads(threads)
  {
    const auto t = static_cast<std::size_t>(omp_get_thread_num());
    const auto all = static_cast<std::size_t>(threads);
    use(t, n * t / all, n * (t + 1) / all);
  }
}

std::uint64_t mixed(std::uint64_t x) {
  x *= 0x9E3779B97F4A7C15ull;
  return x ^ (x >> 29);
}

// keys as places in a table: whole numbers from `least` on, or texts by address
struct Places {
  const int* whole = nullptr;
  const std::uint64_t* text = nullptr;
  int least = 0;
  std::size_t mask = 0;
  std::size_t operator[](std::size_t i) const {
    return whole ? static_cast<std::size_t>(whole[i] - least)
                 : mixed(text[i]) & mask;
  }
};

template <class T>
void gather(int threads, const T* from, const int* rows, std::size_t n, T* to) {
  in_pieces(threads, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      if (i + ahead < end) __builtin_prefetch(&from[rows[i + ahead] - 1]);
      to[i] = rows[i] ? from[rows[i] - 1] : T();
    }
  });
}

// the values of the rows that have a partner; each thread knows where its own
// begin
template <class T>
void keep(int threads, const T* from, const int* rows, std::size_t n,
          const std::vector<std::size_t>& begins, T* to) {
  in_pieces(threads, n, [&](std::size_t t, std::size_t begin, std::size_t end) {
    std::size_t at = begins[t];
    for (std::size_t i = begin; i < end; ++i) {
      to[at] = from[i];
      at += rows[i] != 0;
    }
  });
}

}  // namespace

// Seconds of each stage. `left` and `right`: columns, the keys first; `inner`:
// only rows with a partner; else left columns are shared.
// [[Rcpp::export]]
Rcpp::NumericVector floor_stages(Rcpp::List left, Rcpp::List right, bool inner,
                                 int threads) {
  SEXP lk = left[0], rk = right[0];
  const auto n = static_cast<std::size_t>(Rf_xlength(lk));
  const auto m = static_cast<std::size_t>(Rf_xlength(rk));
  Places lp, rp;
  std::size_t size = 0;
  if (TYPEOF(lk) == INTSXP) {
    lp.whole = INTEGER(lk);
    rp.whole = INTEGER(rk);
    int least = INT_MAX, most = INT_MIN;
    for (std::size_t j = 0; j < m; ++j) {
      least = std::min(least, rp.whole[j]);
      most = std::max(most, rp.whole[j]);
    }
    for (std::size_t i = 0; i < n; ++i) {
      least = std::min(least, lp.whole[i]);
      most = std::max(most, lp.whole[i]);
    }
    lp.least = rp.least = least;
    size = static_cast<std::size_t>(most - least) + 1;
  } else {
    lp.text = reinterpret_cast<const std::uint64_t*>(STRING_PTR_RO(lk));
    rp.text = reinterpret_cast<const std::uint64_t*>(STRING_PTR_RO(rk));
    size = 4;
    while (size < 2 * m) size *= 2;
    lp.mask = rp.mask = size - 1;
  }
  // (how many rows of each piece find a partner: known, not timed)
  std::vector<std::size_t> begins(static_cast<std::size_t>(threads) + 1, 0);
  std::size_t kept = n;
  if (inner) {
    std::vector<bool> there(size, false);
    for (std::size_t j = 0; j < m; ++j) there[rp[j]] = true;
    kept = 0;
    for (std::size_t t = 0; t < static_cast<std::size_t>(threads); ++t) {
      begins[t] = kept;
      const std::size_t end = n * (t + 1) / static_cast<std::size_t>(threads);
      for (std::size_t i = n * t / static_cast<std::size_t>(threads); i < end;
           ++i)
        kept += there[lp[i]];
    }
  }

  auto start = Clock::now();
  Memory table_memory(size * sizeof(int)), row_memory(n * sizeof(int));
  int* table = table_memory.as<int>();
  int* rows = row_memory.as<int>();
  in_pieces(threads, m, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t j = begin; j < end; ++j) {
      if (j + ahead < end) __builtin_prefetch(&table[rp[j + ahead]], 1);
      table[rp[j]] = static_cast<int>(j + 1);
    }
  });
  const double fill = since(start);
  start = Clock::now();
  in_pieces(threads, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      if (i + ahead < end) __builtin_prefetch(&table[lp[i + ahead]]);
      rows[i] = table[lp[i]];
    }
  });
  const double look_up = since(start);

  // the row numbers of the result, as the lines need them
  Memory line_memory(kept * sizeof(int));
  int* lines = rows;
  start = Clock::now();
  if (inner) {
    lines = line_memory.as<int>();
    keep(threads, rows, rows, n, begins, lines);
  }
  const double numbers = since(start);
  start = Clock::now();
  double left_columns = 0, right_columns = 0, texts = 0;
  if (inner) {
    for (R_xlen_t k = 0; k < left.size(); ++k) {
      SEXP x = left[k];
      if (TYPEOF(x) == STRSXP) {
        Rcpp::Shield<SEXP> out(
            Rf_allocVector(STRSXP, static_cast<R_xlen_t>(kept)));
        texts += since(start);
        start = Clock::now();
        keep(threads, reinterpret_cast<const std::uint64_t*>(STRING_PTR_RO(x)),
             rows, n, begins,
             reinterpret_cast<std::uint64_t*>(
                 const_cast<SEXP*>(STRING_PTR_RO(out))));
        left_columns += since(start);
        start = Clock::now();
        continue;
      }
      Memory out(kept * 8);
      if (TYPEOF(x) == INTSXP)
        keep(threads, INTEGER(x), rows, n, begins, out.as<int>());
      else
        keep(threads, static_cast<const std::uint64_t*>(DATAPTR_RO(x)), rows, n,
             begins, out.as<std::uint64_t>());
      left_columns += since(start);
      start = Clock::now();  // (giving memory back is not part of it)
    }
  }
  for (R_xlen_t k = 1; k < right.size(); ++k) {
    SEXP x = right[k];
    start = Clock::now();
    Memory out(kept * 8);
    if (TYPEOF(x) == INTSXP)
      gather(threads, INTEGER(x), lines, kept, out.as<int>());
    else
      gather(threads, static_cast<const std::uint64_t*>(DATAPTR_RO(x)), lines,
             kept, out.as<std::uint64_t>());
    right_columns += since(start);
  }
  return Rcpp::NumericVector::create(
      Rcpp::_["fill"] = fill, Rcpp::_["look_up"] = look_up,
      Rcpp::_["row_numbers"] = numbers, Rcpp::_["texts_made"] = texts,
      Rcpp::_["left_columns"] = left_columns,
      Rcpp::_["right_columns"] = right_columns);
}
