// Whether a key is repeated among rows without a partner.
#pragma once
#include "equal_match.h"

namespace ronda::core {

// the left rows without a partner, and the right ones
Buffer<Row> unmatched_rows(const Context& context, const Row* key_of,
                           std::size_t n);
Buffer<Row> unmatched_rows(const Context& context, const FoundRows& found,
                           std::size_t n);

// whether a key stands in several rows
bool has_repeats(const Context& context, const Keys& keys, bool match_missing);

// the same for some rows
bool repeats_among(const Context& context, const Keys& keys,
                   const Buffer<Row>& rows, bool match_missing);

}  // namespace ronda::core
