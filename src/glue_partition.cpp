// Rows cut into parts, for frames that are larger than memory.
#include "glue_partition.h"

#include <algorithm>

#include "core/list_rows.h"
#include "core/partition.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

// The rows of a frame part by part, in their order in each: list(rows, counts).
// `first_row` is the number of the first of them, from 0 on.
// [[Rcpp::export(rng = false)]]
List partition_rows_(List keys, IntegerVector kinds, double parts,
                     bool match_missing, double first_row) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Keys columns = glue::as_keys(keys, kinds);
    glue::require(parts >= 1 && parts <= 1e6, "the number of parts");
    glue::require(first_row >= 0, "the number of the first row");
    core::PartitionBy by;
    by.parts = static_cast<std::size_t>(parts);
    by.match_missing = match_missing;
    by.first_row = static_cast<std::size_t>(first_row);
    by.characters = glue::text_characters();
    const core::Grouping grouping = core::part_rows(context, columns, by);
    core::Buffer<core::Row> starts(by.parts + 1);
    Shield<SEXP> rows(glue::new_rows(context, columns.rows));
    core::list_rows(context, grouping, starts.data(), INTEGER(rows));
    IntegerVector counts(static_cast<R_xlen_t>(by.parts));
    for (std::size_t k = 0; k < by.parts; ++k)
      counts[static_cast<R_xlen_t>(k)] = starts[k + 1] - starts[k];
    return List::create(_["rows"] = (SEXP)rows, _["counts"] = counts);
  });
}

// The rows of a frame that fall into the first part. Integers are taken as
// doubles, which fall where equal ones do.
// [[Rcpp::export(rng = false)]]
IntegerVector first_part_(List keys, IntegerVector kinds, double parts) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Keys all = glue::as_keys(keys, kinds);
    glue::require(parts >= 1 && parts <= 1e6, "the number of parts");
    core::PartitionBy by;
    by.parts = static_cast<std::size_t>(parts);
    by.characters = glue::text_characters();
    constexpr std::size_t most = 1 << 18;
    std::vector<std::vector<double>> doubles(all.columns.size());
    std::vector<int> rows;
    for (std::size_t begin = 0; begin < all.rows; begin += most) {
      core::Keys some = all;
      some.rows = std::min(most, all.rows - begin);
      for (std::size_t k = 0; k < all.columns.size(); ++k) {
        core::KeyColumn& column = some.columns[k];
        if (column.kind == core::KeyKind::int32) {
          const int* x = static_cast<const int*>(column.data) + begin;
          doubles[k].resize(some.rows);
          std::transform(x, x + some.rows, doubles[k].begin(), [](int value) {
            return value == NA_INTEGER ? NA_REAL : value;
          });
          column.kind = core::KeyKind::real;
          column.data = doubles[k].data();
        } else {
          column.data = static_cast<const std::uint64_t*>(column.data) + begin;
        }
      }
      by.first_row = begin;
      const core::Grouping grouping = core::part_rows(context, some, by);
      for (std::size_t i = 0; i < some.rows; ++i)
        if (grouping.key[i] == 1)
          rows.push_back(static_cast<int>(begin + i + 1));
    }
    return IntegerVector(rows.begin(), rows.end());
  });
}
