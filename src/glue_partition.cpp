// Rows cut into parts, for frames that are larger than memory.
#include "glue_partition.h"

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
