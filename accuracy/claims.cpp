// How often a stated error was wrong, on families of random problems.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "accuracy/report.h"
#include "base/parallel.h"
#include "numerics/evolve.h"
#include "numerics/minimize.h"
#include "reference/cubature_families.h"
#include "reference/evolution_problems.h"
#include "reference/integral_families.h"
#include "reference/sums_of_squares.h"

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

// Solutions of published problems at 61 times, by each method and with three tolerances.
quill::test::ClaimCount evolve_claims(const std::vector<quill::test::EvolutionProblem>& problems,
                                      const std::vector<quill::StepMethod>& methods) {
  quill::test::ClaimCount out;
  for (const auto& p : problems) {
    constexpr int times = 61;
    std::vector<double> t;
    for (int k = 0; k < times; ++k) t.push_back(p.end * k / (times - 1));
    const auto exact = p.solution(t);
    for (const auto method : methods)
      for (const double tolerance : {1e-3, 1e-6, 1e-9}) {
        quill::EvolveOptions options;
        options.method = method;
        options.relative = {tolerance};
        options.longest = INFINITY;
        const auto run = quill::evolve([&](double at, auto y, auto slope) { p.slopes(at, y, slope); },
                                       p.start, t, false, options);
        bool is_wrong = false;
        for (std::size_t i = 0; i < t.size() && t[i] <= run.uncertain_from.value_or(INFINITY); ++i)
          for (std::size_t k = 0; k < p.start.size(); ++k)
            is_wrong = is_wrong ||
                       std::fabs(run.y[i * p.start.size() + k] - exact[i][k]) >
                           3 * run.error[i * p.start.size() + k] + 1e-15 * std::fabs(exact[i][k]) + 1e-17;
        ++(is_wrong ? out.wrong : run.uncertain_from ? out.warned : out.right);
        out.evaluations.push_back(run.evaluations);
      }
  }
  return out;
}

quill::test::ClaimCount minimize_claims(quill::MinimizeMethod method) {
  quill::test::ClaimCount out;
  for (const auto& p : quill::test::squares_problems()) {
    quill::MinimizeOptions options;
    options.method = method;
    const auto found = quill::minimize([&](std::span<const double> x) { return p.sum(x); }, p.start, options);
    const bool is_right = std::any_of(p.minima.begin(), p.minima.end(), [&](double v) {
      return std::fabs(found.value - v) <= 1e-5 * v + 1e-8 * std::min(p.sum(p.start), 1.0);
    });
    ++(!found.converged ? out.warned : is_right ? out.right : out.wrong);
    if (!found.converged && is_right) ++out.needless;
    out.evaluations.push_back(found.evaluations);
  }
  return out;
}

int all_of(const quill::test::ClaimCount& c) { return c.right + c.warned + c.refused + c.wrong; }

}  // namespace

Table claims() {
  Table out;
  out.title = "Claims on random and on published problems";
  out.text =
      "`integrate` on random problems with closed forms; `evolve` on the published sets of Hull et al. "
      "(1972) and Enright et al. (1975), where each problem is solved by one method with one tolerance; "
      "`minimize` on the problems of Moré, Garbow and Hillstrom (1981). *Warned*: a warning or an error. "
      "*False claim*: an actual error above three times the stated error, without a warning. *Needless*: a "
      "warning or an error although the result was right.";
  out.head = {"family", "problems", "right", "warned", "false claims", "needless", "median evaluations"};
  constexpr int problems = 2000, in_several = 100;
  const auto families = quill::test::integral_families();
  std::vector<quill::test::ClaimCount> counts(families.size());
  quill::in_parallel(std::ssize(families), [&](quill::Index k) {
    const auto i = static_cast<std::size_t>(k);
    counts[i] = count_claims(families[i], problems, 2000);
  });
  for (std::size_t i = 0; i < families.size(); ++i)
    out.rows.push_back(row(families[i].name, problems, counts[i]));
  for (const std::size_t axes : {2, 3}) {
    quill::IntegralOptions options;
    options.relative = axes == 2 ? 1e-7 : 1e-4;
    options.limit = axes == 2 ? 1000000 : 200000;
    const int count = axes == 2 ? in_several : in_several / 4;
    for (const auto& family : quill::test::cubature_families(axes))
      out.rows.push_back(row(fmt::format("{} variables: {}", axes, family.name), count,
                             count_claims(family, count, 2000, options)));
  }
  using enum quill::StepMethod;
  const auto plain = evolve_claims(quill::test::detest(), {dormand_prince, bulirsch_stoer, rosenbrock});
  out.rows.push_back(row("`evolve`: problems that are not stiff", all_of(plain), plain));
  const auto stiff = evolve_claims(quill::test::stiff_problems(), {rosenbrock});
  out.rows.push_back(row("`evolve`: stiff problems", all_of(stiff), stiff));
  using enum quill::MinimizeMethod;
  for (const auto method : {automatic, lbfgs, slsqp, nelder_mead, bobyqa}) {
    const auto c = minimize_claims(method);
    out.rows.push_back(row(fmt::format("`minimize`, {}", name_of(method)), all_of(c), c));
  }
  return out;
}

}  // namespace accuracy
