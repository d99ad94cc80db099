// The one threading primitive. Rows are cut into chunks of fixed size; threads
// take chunks in turn. The calling thread asks between its chunks whether the
// user wants to stop. A body may throw on any thread: the others stop before
// their next chunk, and the first exception is thrown again on the calling
// thread when all have ended. A body must never touch an R object.
#pragma once
#include <algorithm>
#include <atomic>
#include <cstddef>
#include <exception>
#include <new>
#include <system_error>
#include <thread>
#include <vector>

#include "context.h"

namespace ronda::core {

inline std::size_t chunk_count(const Context& context, std::size_t n) {
  return (n + context.chunk_rows - 1) / context.chunk_rows;
}

// Threads that take numbered pieces of work in turn until there are none, or
// until the user wants to stop. Turns go from one stretch of the pieces to the
// next, as many as there are threads, so that threads work far from each other:
// two that are first to write to one large page of memory both wait for it to
// be cleared.
class Crew {
 public:
  Crew(const Context& context, std::size_t pieces)
      : context_(context),
        pieces_(pieces),
        threads_(std::min<std::size_t>(std::max(1, context.threads), pieces)),
        stretch_(threads_ ? (pieces + threads_ - 1) / threads_ : 0) {}

  class Hand {
   public:
    bool may_go_on() {
      if (caller_ && crew_.context_.interrupted && crew_.context_.interrupted())
        crew_.stop_ = true;
      return !crew_.stop_;
    }
    bool take(std::size_t& piece) {
      while (may_go_on()) {
        const std::size_t turn = crew_.next_++;
        if (turn >= crew_.threads_ * crew_.stretch_) return false;
        piece = turn % crew_.threads_ * crew_.stretch_ + turn / crew_.threads_;
        if (piece < crew_.pieces_) return true;
      }
      return false;
    }
    // from 0 on, below the number of threads; 0 is the calling thread
    std::size_t number() const { return number_; }

   private:
    friend class Crew;
    Hand(Crew& crew, std::size_t number)
        : crew_(crew), number_(number), caller_(number == 0) {}
    Crew& crew_;
    std::size_t number_;
    bool caller_;
  };

  template <class Work>
  void run(Work&& work) {
    std::vector<std::thread> others;
    if (threads_ > 1) others.reserve(threads_ - 1);
    // Where the system refuses a thread, the others do the work.
    try {
      while (others.size() + 1 < threads_)
        others.emplace_back([this, &work, number = others.size() + 1] {
          run_as(number, work);
        });
    } catch (const std::system_error&) {
    } catch (const std::bad_alloc&) {
    }
    run_as(0, work);
    for (std::thread& other : others) other.join();
    if (error_) std::rethrow_exception(error_);
    if (stop_) throw Interrupted();
  }

 private:
  template <class Work>
  void run_as(std::size_t number, Work& work) noexcept {
    Hand hand(*this, number);
    try {
      work(hand);
    } catch (...) {
      if (!failed_.exchange(true)) error_ = std::current_exception();
      stop_ = true;
    }
  }

  const Context& context_;
  std::size_t pieces_, threads_, stretch_;
  std::atomic<std::size_t> next_{0};
  std::atomic<bool> stop_{false}, failed_{false};
  std::exception_ptr error_;  // the first; read when all threads have ended
};

// body(chunk, begin, end, hand) for every chunk of 0..n-1, in any order
template <class Body>
void for_chunks_by_hand(const Context& context, std::size_t n, Body&& body) {
  const std::size_t chunks = chunk_count(context, n);
  const std::size_t size = context.chunk_rows;
  Crew crew(context, chunks);
  crew.run([&](Crew::Hand& hand) {
    for (std::size_t k; hand.take(k);)
      body(k, k * size, std::min(n, (k + 1) * size), hand);
  });
}

// body(chunk, begin, end) for every chunk of 0..n-1, in any order
template <class Body>
void for_chunks(const Context& context, std::size_t n, Body&& body) {
  for_chunks_by_hand(context, n,
                     [&](std::size_t chunk, std::size_t begin, std::size_t end,
                         const Crew::Hand&) { body(chunk, begin, end); });
}

// body(part, hand) for every part of 0..parts-1, each on one thread; the body
// goes through its rows in chunks and asks `hand.may_go_on()` before each.
template <class Body>
void for_parts(const Context& context, std::size_t parts, Body&& body) {
  Crew crew(context, parts);
  crew.run([&](Crew::Hand& hand) {
    for (std::size_t part; hand.take(part);) body(part, hand);
  });
}

// each(row) for the rows 0..n-1, in any order
template <class Each>
void for_rows(const Context& context, std::size_t n, Each&& each) {
  for_chunks(context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) each(i);
  });
}

// how many of the rows 0..n-1 counts(row) is true for
template <class Counts>
std::size_t count_rows(const Context& context, std::size_t n, Counts&& counts) {
  std::atomic<std::size_t> total{0};
  for_chunks(context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    std::size_t count = 0;
    for (std::size_t i = begin; i < end; ++i) count += counts(i);
    total += count;
  });
  return total;
}

// body(begin, end) for all chunks of 0..n-1 in order, by one hand of a crew
template <class Body>
void for_own_chunks(const Context& context, Crew::Hand& hand, std::size_t n,
                    Body&& body) {
  for (std::size_t begin = 0; begin < n && hand.may_go_on();
       begin += context.chunk_rows)
    body(begin, std::min(n, begin + context.chunk_rows));
}

// for_chunks() on the calling thread, in order
template <class Body>
void for_chunks_in_order(const Context& context, std::size_t n, Body&& body) {
  for (std::size_t begin = 0; begin < n; begin += context.chunk_rows) {
    if (context.interrupted && context.interrupted()) throw Interrupted();
    body(begin, std::min(n, begin + context.chunk_rows));
  }
}

}  // namespace ronda::core
