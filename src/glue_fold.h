// What R asks to be made of partners, as jobs of the engine, with the vectors
// that they write.
#pragma once
#include <memory>

#include "core/fold.h"
#include "glue.h"

namespace ronda::glue {

class Folds {
 public:
  Folds(const core::Context& context, const Rcpp::List& specs,
        std::size_t left_rows, std::size_t right_rows);
  const core::FoldJobs& jobs() const { return asked_; }
  Rcpp::List results() const;

 private:
  Rcpp::List results_;
  std::vector<std::unique_ptr<core::FoldJob>> jobs_;
  core::FoldJobs asked_;
};

}  // namespace ronda::glue

Rcpp::List fold_pairs_(Rcpp::List matches, Rcpp::List folds, bool by_range);
