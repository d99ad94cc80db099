#include "equal_match.h"
#include "repeated_keys.h"

#include "fill_table.h"
#include "pack_keys.h"
#include "roads.h"
#include "shares.h"

#include <type_traits>

namespace ronda::core {
namespace {

// Direct addressing pays up to about the memory that hashing would take.
bool is_dense(const Context& context, const WholeRange& range,
              std::size_t rows) {
  if (context.path == Path::hashed || !range.whole) return false;
  const std::uint64_t most = context.path == Path::direct
                                 ? std::uint64_t{1} << 20
                                 : std::uint64_t{1} << 16;
  return range.span() <= std::max<std::uint64_t>(most, 8 * rows);
}

// One side's keys, ready to be read
template <class Reader>
struct Side {
  Reader reader;
  std::size_t rows;
};

struct Wanted {
  bool match_missing;
  bool key_of_missing;  // `key` also where keys are missing only
  KeyNames names;
};

// Going over the whole table once more pays where many rows share a key.
bool is_worth_numbers(const FillCounts& filled, std::size_t rows) {
  return filled.repeated && filled.keys <= rows / 2;
}

// What the right side's rows are called by, once the table is filled
template <class Table, class Reader>
Grouping name_right(const Context& context, Table& table, const Filled& filled,
                    const Side<Reader>& right, const Wanted& wanted) {
  const FillCounts& all = filled.all;
  Grouping named;
  named.repeated = all.repeated;
  named.most = right.rows;
  named.listed = right.rows - (wanted.match_missing ? 0 : all.missing);
  if constexpr (Table::in_key_order)
    if (wanted.names == KeyNames::numbers &&
        is_worth_numbers(all, right.rows)) {
      number_keys(context, table, filled);
      named.most = all.keys;
    }
  if (all.repeated || (wanted.key_of_missing && all.missing)) {
    named.key = Buffer<Row>(right.rows);
    look_up(context, table, right.reader, right.rows, NotNoted(),
            named.key.data());
  }
  return named;
}

template <class Table, class Reader>
void look_up_left(const Context& context, const Table& table,
                  const Side<Reader>& left, std::size_t right_rows,
                  bool right_repeats, Match& match, Row* key_of) {
  LookUpCounts found;
  if (right_repeats) {
    found = look_up(context, table, left.reader, left.rows, NotNoted(), key_of);
  } else {
    match.found = FoundRows(context, right_rows);
    if (right_rows <= FoundFew::most) {
      FoundFew few(context, right_rows);
      found = look_up(context, table, left.reader, left.rows, few, key_of);
      few.tell(match.found);
    } else {
      found =
          look_up(context, table, left.reader, left.rows, match.found, key_of);
    }
    match.matched_right = match.found.unite(context);
  }
  match.matched_left = found.matched;
  match.missing_left = found.missing;
}

template <class Reader>
WholeRange range_of(const Context& context, const Side<Reader>& side) {
  return whole_range(context, side.reader, side.rows);
}
template <class Plain>
WholeRange range_of(const Context&, const Side<MadeReader<Plain>>& side) {
  return *side.reader.range;
}

// action(table, filled) with the right side's keys in the table that fits them
template <class Reader, class Action>
auto with_table(const Context& context, const Side<Reader>& right,
                bool match_missing, Action&& action) {
  auto fill = [&](auto& table) {
    return fill_table(context, table, right.reader, right.rows, match_missing);
  };
  const int bits = share_bits(context, right.rows);
  if constexpr (Reader::countable) {
    const WholeRange range = range_of(context, right);
    if (is_dense(context, range, right.rows)) {
      take_road(Road::direct_table);
      DirectTable<Reader> table(range, right.reader, bits);
      const Filled filled = fill(table);
      return action(table, filled);
    }
  }
  take_road(Road::hash_table);
  {
    HashTable<Reader> table(right.rows, bits);
    const Filled filled = fill(table);
    if (!filled.all.full) return action(table, filled);
  }
  // the words fell into few parts: one part has room for all
  HashTable<Reader> table(right.rows, 0);
  const Filled filled = fill(table);
  return action(table, filled);
}

template <class Reader>
Match match_sides(const Context& context, const Side<Reader>& left,
                  const Side<Reader>& right, const Wanted& wanted,
                  Row* key_of) {
  return with_table(context, right, wanted.match_missing,
                    [&](auto& table, const Filled& filled) {
                      Match match;
                      match.missing_right = filled.all.missing;
                      match.right =
                          name_right(context, table, filled, right, wanted);
                      look_up_left(context, table, left, right.rows,
                                   match.right.repeated, match, key_of);
                      return match;
                    });
}

using PairReader = MadeReader<TwoReader>;

PairReader pair_reader(const WordPairs& words, const TwoWords& missing) {
  return {&words, {nullptr, missing}};
}

TwoWords missing_pair(const Keys& keys) {
  return {missing_word(keys.columns[0]), missing_word(keys.columns[1])};
}

// A table that is kept
template <class Reader, class Table>
class IndexOf : public RightIndex {
 public:
  IndexOf(Table&& table, TwoWords missing)
      : table_(std::move(table)), missing_(missing) {}
  Match look_up(const Context& context, const Keys& left,
                Row* key_of) const override {
    Match match;
    match.missing_right = missing;
    match.right.repeated = right.repeated;
    auto ask = [&](const Side<Reader>& side) {
      look_up_left(context, table_, side, rows, right.repeated, match, key_of);
    };
    if constexpr (std::is_same_v<Reader, PairReader>) {
      const WordPairs words(left);
      ask({pair_reader(words, missing_), left.rows});
    } else {
      with_reader(left.columns[0], [&](auto reader) {
        if constexpr (std::is_same_v<decltype(reader), Reader>)
          ask({reader, left.rows});
        else
          throw std::logic_error("look_up(): another kind of key");
      });
    }
    return match;
  }

 private:
  Table table_;
  TwoWords missing_;
};

template <class Reader>
std::unique_ptr<RightIndex> index_side(const Context& context,
                                       const Side<Reader>& right,
                                       const Wanted& wanted, TwoWords missing) {
  return with_table(
      context, right, wanted.match_missing,
      [&](auto& table, const Filled& filled) -> std::unique_ptr<RightIndex> {
        using Table = std::decay_t<decltype(table)>;
        Grouping named = name_right(context, table, filled, right, wanted);
        auto index =
            std::make_unique<IndexOf<Reader, Table>>(std::move(table), missing);
        index->right = std::move(named);
        index->rows = right.rows;
        index->missing = filled.all.missing;
        return index;
      });
}

// Matches one or two columns; more are first folded to two.
Match match_columns(const Context& context, Keys left, Keys right,
                    const Wanted& wanted, Row* key_of) {
  PackedKeys packed = pack_keys(context, left, right, wanted.match_missing);
  const bool packs = !packed.digits.empty();
  bool told = !packs || !wanted.match_missing;
  if (packs) take_road(Road::packed_keys);
  const auto folds = [&] { return !packed.whole && left.columns.size() > 2; };
  if (folds()) take_road(Road::folded_keys);
  std::vector<Buffer<Row>> folded;  // keeps the folded columns alive
  while (folds()) {
    Buffer<Row> codes(left.rows);
    Keys first_left{{left.columns[0], left.columns[1]}, left.rows};
    Keys first_right{{right.columns[0], right.columns[1]}, right.rows};
    Match match = match_columns(
        context, first_left, first_right,
        {wanted.match_missing, true, KeyNames::first_rows}, codes.data());
    fold_columns(left, right, std::move(codes), std::move(match.right.key),
                 folded);
    told = false;
  }
  auto match = [&](const auto& left_reader, const auto& right_reader) {
    using Reader = std::decay_t<decltype(left_reader)>;
    Match found =
        match_sides(context, Side<Reader>{left_reader, left.rows},
                    Side<Reader>{right_reader, right.rows}, wanted, key_of);
    found.missing_told = told;
    return found;
  };
  if (packed.whole) {
    const DigitCodes left_codes(left, packed.digits, wanted.match_missing);
    const DigitCodes right_codes(right, packed.digits, wanted.match_missing);
    using Reader = MadeReader<Int64Reader>;
    return match(Reader{&left_codes, {}},
                 Reader{&right_codes, {}, &packed.right_range});
  }
  if (left.columns.size() == 2) {
    take_road(Road::two_words);
    const WordPairs left_words(left), right_words(right);
    const TwoWords missing = missing_pair(right);
    return match(pair_reader(left_words, missing),
                 pair_reader(right_words, missing));
  }
  return with_reader(left.columns[0], [&](auto reader) {
    using Reader = decltype(reader);
    Reader other = reader;
    other.values = static_cast<decltype(other.values)>(right.columns[0].data);
    return match(reader, other);
  });
}

}  // namespace

Match match_equal(const Context& context, const Keys& left, const Keys& right,
                  bool match_missing, KeyNames names, Row* key_of) {
  Match match = match_columns(context, left, right,
                              {match_missing, false, names}, key_of);
  if (!match.missing_told) {
    match.missing_left = count_missing(context, left);
    match.missing_right = count_missing(context, right);
  }
  return match;
}

std::unique_ptr<RightIndex> index_right(const Context& context,
                                        const Keys& right, bool match_missing,
                                        KeyNames names) {
  const Wanted wanted{match_missing, false, names};
  if (right.columns.size() > 2) return nullptr;
  std::unique_ptr<RightIndex> index;
  if (right.columns.size() == 2) {
    const WordPairs words(right);
    const TwoWords missing = missing_pair(right);
    index = index_side(
        context, Side<PairReader>{pair_reader(words, missing), right.rows},
        wanted, missing);
  } else {
    index = with_reader(right.columns[0], [&](auto reader) {
      return index_side(context, Side<decltype(reader)>{reader, right.rows},
                        wanted, TwoWords());
    });
  }
  return index;
}

Grouping group_rows(const Context& context, const Keys& keys,
                    bool match_missing) {
  Buffer<Row> key_of(keys.rows);
  Match match =
      match_columns(context, keys, keys,
                    {match_missing, true, KeyNames::first_rows}, key_of.data());
  return std::move(match.right);
}

// Where no key is repeated, no row is looked up.
bool has_repeats(const Context& context, const Keys& keys, bool match_missing) {
  const Keys none{keys.columns, 0};
  return match_columns(context, none, keys,
                       {match_missing, false, KeyNames::first_rows}, nullptr)
      .right.repeated;
}

std::size_t count_missing(const Context& context, const Keys& keys) {
  if (keys.columns.size() == 1) {
    return with_reader(keys.columns[0], [&](auto reader) {
      return count_rows(context, keys.rows, [&](std::size_t i) {
        return reader.missing(reader(i));
      });
    });
  }
  std::atomic<std::size_t> total{0};
  for_chunks(
      context, keys.rows, [&](std::size_t, std::size_t begin, std::size_t end) {
        constexpr std::size_t most = 4096;
        for (; begin < end; begin += most) {
          const std::size_t n = std::min(most, end - begin);
          std::uint8_t missing[most] = {};
          for (const KeyColumn& column : keys.columns)
            with_reader(column, [&](auto reader) {
              for (std::size_t i = 0; i < n; ++i)
                missing[i] |= reader.missing(reader(begin + i));
            });
          total +=
              static_cast<std::size_t>(std::count(missing, missing + n, 1));
        }
      });
  return total;
}

}  // namespace ronda::core
