// What the analyst chose, read once where it enters: R's options as a context,
// words as enums, and whether to go on.
#pragma once
#include <Rcpp.h>

#include <string>

#include "core/context.h"
#include "core/nearest_match.h"
#include "core/ordered_rules.h"

namespace ronda::glue {

// reads the options ronda.threads, ronda.chunk_rows and ronda.path
core::Context current_context();

core::Compare as_compare(const std::string& op);
core::Look as_look(const std::string& look);
core::Ties as_ties(const std::string& ties);

// Asks R whether to go on; what R does about it (the user's interrupt, a time
// limit, a handler of somebody's) leaves as R's own jump.
void check_user();
// goes on with the jump that user_interrupts() held back
void resume_jump();

}  // namespace ronda::glue
