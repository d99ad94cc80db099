// Words that are put together from several key columns. They are made for some
// thousand rows at a time, when a loop comes to these, and stand nowhere as a
// whole: written out they would take as much memory as the columns.
#pragma once
#include <vector>

#include "key_table.h"
#include "memory.h"
#include "parallel.h"

namespace ronda::core {

// What makes the words of the rows from `begin` to `end`
template <class Word>
class WordMaker {
 public:
  virtual ~WordMaker() = default;
  virtual void make(std::size_t begin, std::size_t end, Word* out) const = 0;
};

// A reader of words that are made; `Plain` says what they mean.
template <class Plain>
struct MadeReader {
  using Word = typename Plain::Word;
  using Value = std::decay_t<decltype(*Plain::values)>;
  static constexpr bool countable = Plain::countable;
  const WordMaker<Value>* maker;
  Plain plain;  // (its values are those of some rows alone)
  const WholeRange* range = nullptr;  // known where words are countable
  Word missing_word() const { return plain.missing_word(); }
  bool missing(const Word& word) const { return plain.missing(word); }
  static bool whole(const Word& word, std::int64_t& value) {
    return Plain::whole(word, value);
  }
};

// What a loop over the rows of a side reads them by: how long its pieces are,
// and for each piece a reader.
template <class Reader>
class Reading {
 public:
  Reading(const Context& context, const Reader& reader)
      : context_(context), reader_(reader) {}
  const Context& context() const { return context_; }
  const Reader& piece(const Crew::Hand&, std::size_t, std::size_t) const {
    return reader_;
  }

 private:
  const Context& context_;
  const Reader& reader_;
};

template <class Plain>
class Reading<MadeReader<Plain>> {
 public:
  Reading(const Context& context, const MadeReader<Plain>& reader)
      : context_(context), reader_(reader) {
    context_.chunk_rows = std::min(context.chunk_rows, most);
    for (int k = 0; k < std::max(1, context.threads); ++k)
      made_.emplace_back(context_.chunk_rows);
  }
  const Context& context() const { return context_; }
  // rows go by their own numbers
  struct Piece : Plain {
    std::size_t first;
    auto operator()(std::size_t i) const {
      return Plain::operator()(i - first);
    }
  };
  Piece piece(const Crew::Hand& hand, std::size_t begin, std::size_t end) {
    auto& made = made_[hand.number()];
    reader_.maker->make(begin, end, made.data());
    Piece piece{reader_.plain, begin};
    piece.values = made.data();
    return piece;
  }

 private:
  static constexpr std::size_t most = std::size_t{1} << 13;
  Context context_;
  const MadeReader<Plain>& reader_;
  std::vector<Buffer<typename MadeReader<Plain>::Value>> made_;
};

}  // namespace ronda::core
