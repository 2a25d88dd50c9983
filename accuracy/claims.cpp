// How often a stated error was wrong, on families of random problems.
#include <fmt/format.h>

#include <algorithm>

#include "accuracy/report.h"
#include "reference/cubature_families.h"
#include "reference/integral_families.h"

namespace accuracy {

namespace {

std::vector<std::string> row(const std::string& name, int problems, quill::test::ClaimCount c) {
  auto& e = c.evaluations;
  std::sort(e.begin(), e.end());
  return {name,
          std::to_string(problems),
          std::to_string(c.right),
          std::to_string(c.warned + c.refused),
          std::to_string(c.wrong),
          std::to_string(c.needless),
          e.empty() ? "" : std::to_string(e[e.size() / 2])};
}

}  // namespace

Table claims() {
  Table out;
  out.title = "Claims of `integrate` on random problems";
  out.text =
      "Random problems with closed forms. *Warned*: answered with a warning or an error. *False claim*: "
      "wrong by more "
      "than three times the stated error, without a warning. *Needless*: a warning or an error where the "
      "answer was "
      "right.";
  out.head = {"family", "problems", "right", "warned", "false claims", "needless", "median evaluations"};
  constexpr int problems = 2000, in_several = 100;
  for (const auto& family : quill::test::integral_families())
    out.rows.push_back(row(family.name, problems, count_claims(family, problems, 2000)));
  for (const std::size_t axes : {2, 3}) {
    quill::IntegralOptions options;
    options.relative = axes == 2 ? 1e-7 : 1e-4;
    options.limit = axes == 2 ? 1000000 : 200000;
    const int count = axes == 2 ? in_several : in_several / 4;
    for (const auto& family : quill::test::cubature_families(axes))
      out.rows.push_back(row(fmt::format("{} variables: {}", axes, family.name), count,
                             count_claims(family, count, 2000, options)));
  }
  return out;
}

}  // namespace accuracy
