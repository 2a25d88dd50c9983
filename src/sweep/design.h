// The cases of a study: combinations of values of inputs, rows of a table, or samples of ranges.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/host.h"
#include "sweep/case.h"
#include "value/value.h"

namespace quill {

struct DesignOptions {
  NamedTexts vary;                 // inputs and expressions of the language, in the order given
  std::vector<Names> together;     // inputs that vary as one
  std::string table;               // a file whose columns are inputs; "" for none
  Index samples = 0;               // points drawn from the ranges of the inputs; 0 for combinations
  std::string sampling = "latin";  // or "sobol"
  Index repeats = 0;               // of each case, with seeds of their own; 0 for once, with the seed
  std::uint64_t seed = 1;
  std::string script_folder;  // where expressions and tables find files
  Folders also_read;
};

class Design {
 public:
  // Error when an expression gives no values, lengths differ, or there are too many cases.
  Design(Host& host, const DesignOptions& options);

  const Names& names() const { return names_; }  // of the inputs that vary, as columns
  Index count() const { return count_; }
  bool has_repeats() const { return repeats_ > 0; }
  // Numbered from 1; the first input varies slowest, repeats fastest.
  Case at(Index number) const;
  // The inputs of a case as fields of CSV.
  Names fields(Index number) const;
  // Which repeat of its inputs a case is, from 1.
  Index repeat_of(Index number) const { return (number - 1) % std::max<Index>(1, repeats_) + 1; }

 private:
  // Inputs that vary as one: their values side by side.
  struct Group {
    Names names;
    std::vector<Array> values;  // vectors of one length
    Index size = 0;
  };
  void add_varied(Host& host, const DesignOptions& options);
  void add_table(Host& host, const DesignOptions& options);
  void draw(const DesignOptions& options);
  void count_cases();
  // Calls visit(name, values, row) for each input of a case, the last one first.
  template <class Visit>
  void visit_inputs(Index number, const Visit& visit) const;

  Names names_;
  std::vector<Group> groups_;
  Index count_ = 0, repeats_ = 0;
  std::uint64_t seed_ = 1;
};

}  // namespace quill
