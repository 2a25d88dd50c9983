// The cases of a study: combinations of values of inputs, rows of a table, or samples of ranges.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/host.h"
#include "sweep/case.h"
#include "value/value.h"

namespace quill {

struct DesignOptions {
  NamedTexts vary;              // inputs and expressions, in the given order
  std::vector<Names> together;  // inputs that vary together
  std::string table;            // file whose columns are inputs; "" for none
  Index samples = 0;            // number of points sampled from the ranges of inputs; 0 for all combinations
  std::string sampling = "latin";  // or "sobol"
  Index repeats = 0;               // of each case, with different seeds; 0: once, with the seed
  std::uint64_t seed = 1;
  std::string script_folder;  // folder in which expressions and tables find files
  Folders also_read;
};

class Design {
 public:
  // Throws Error if an expression gives no values, lengths differ, or there are too many cases.
  Design(Host& host, const DesignOptions& options);

  const Names& names() const { return names_; }  // varying inputs, as columns
  // Warnings of the expressions that give the values.
  const std::vector<Error>& warnings() const { return warnings_; }
  Index count() const { return count_; }
  bool has_repeats() const { return repeats_ > 0; }
  // Numbered from 1; the first input varies slowest, repetitions fastest.
  Case at(Index number) const;
  // Inputs of a case as CSV fields.
  Names fields(Index number) const;
  // Repetition number of a case, from 1.
  Index repeat_of(Index number) const { return (number - 1) % std::max<Index>(1, repeats_) + 1; }

 private:
  // Inputs that vary together, with their values.
  struct Group {
    Names names;
    std::vector<Array> values;  // vectors of equal length
    Index size = 0;
  };
  void add_varied(Host& host, const DesignOptions& options);
  void add_table(Host& host, const DesignOptions& options);
  void draw(const DesignOptions& options);
  void count_cases();
  // Calls visit(name, values, row) for each input of a case, last one first.
  template <class Visit>
  void visit_inputs(Index number, const Visit& visit) const;

  Names names_;
  std::vector<Error> warnings_;
  std::vector<Group> groups_;
  Index count_ = 0, repeats_ = 0;
  std::uint64_t seed_ = 1;
};

}  // namespace quill
