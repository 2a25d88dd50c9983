// Regression on the columns of tables, and local regression.
#include "numerics/regression.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/order.h"
#include "base/text.h"
#include "builtins/columns.h"
#include "builtins/method.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "numerics/distributions.h"
#include "numerics/linear_algebra.h"
#include "numerics/mapped.h"
#include "value/print.h"
#include "value/runtime.h"

namespace quill {

namespace regression_calls {
namespace {

constexpr std::string_view kFamily = "fits";

// One variable of the regression: a column of numbers, or of categories of which the first is the reference.
struct Variable {
  std::string name;
  std::vector<std::string> levels{};  // of categories, without the reference
  std::string reference{};
};

const Value& column_of(const RecordObject& table, const std::string& name) {
  const auto* found = table.find(name);
  if (!found) fail(fmt::format("the table has no column `{}`", name));
  return *found;
}

std::vector<double> numbers_in(const RecordObject& table, const std::string& name) {
  const auto a = to_array(column_of(table, name));
  if (!is_numeric(a.type()) || a.type() == ElementType::complex128)
    fail(fmt::format("column `{}` must have real numbers, not {}", name, name_of(a.type())));
  return a.converted(ElementType::float64).to_vector<double>();
}

// The columns of a variable, one for each coefficient.
std::vector<std::vector<double>> columns_of(const RecordObject& table, const Variable& v) {
  const auto a = to_array(column_of(table, v.name));
  if (v.levels.empty()) {
    if (a.type() == ElementType::boolean) return {a.converted(ElementType::float64).to_vector<double>()};
    return {numbers_in(table, v.name)};
  }
  if (a.type() != ElementType::text) fail(fmt::format("column `{}` must have texts, as categories", v.name));
  const auto texts = a.to_vector<std::string>();
  std::vector<std::vector<double>> out;
  for (const auto& level : v.levels) {
    std::vector<double> column;
    for (const auto& t : texts) column.push_back(t == level ? 1 : 0);
    out.push_back(std::move(column));
  }
  return out;
}

Variable variable_of(const RecordObject& table, const std::string& name) {
  Variable v{name};
  const auto a = to_array(column_of(table, name));
  if (a.type() != ElementType::text) return v;
  const auto levels = unique(a).to_vector<std::string>();
  if (levels.size() < 2) fail(fmt::format("column `{}` has a single category", name));
  v.reference = levels[0];
  v.levels.assign(levels.begin() + 1, levels.end());
  return v;
}

Array matrix_of(const std::vector<std::vector<double>>& columns, const std::vector<std::size_t>& rows) {
  const auto p = static_cast<Index>(columns.size());
  Array out(ElementType::float64, {static_cast<Index>(rows.size()), p});
  double* to = out.mutable_data<double>();
  for (const auto r : rows)
    for (const auto& c : columns) *to++ = c[r];
  return out;
}

struct Made {
  std::vector<Variable> variables;
  Regression regression;
};

// Values, and intervals of the mean and of a new observation, for the rows of a table.
Value predicted(const Made& made, std::span<Value> arguments) {
  if (arguments.empty() || arguments.size() > 2 || !arguments[0].is(Kind::record))
    fail("predict takes a table, and a confidence", "r.predict(t, 0.95)");
  const auto& table = arguments[0].object<RecordObject>();
  const auto confidence = arguments.size() > 1 ? single_real(arguments[1]) : 0.95;
  if (!confidence || !(*confidence > 0 && *confidence < 1)) fail("a confidence must be between 0 and 1");
  std::vector<std::vector<double>> columns;
  for (const auto& v : made.variables) {
    for (auto& c : columns_of(table, v)) columns.push_back(std::move(c));
    if (v.levels.empty()) continue;
    for (const auto& t : to_array(column_of(table, v.name)).to_vector<std::string>())
      if (t != v.reference && std::find(v.levels.begin(), v.levels.end(), t) == v.levels.end())
        fail(fmt::format("column `{}` has the category \"{}\", which the regression has not seen", v.name,
                         printable(t)));
  }
  const auto n = columns.empty() ? static_cast<std::size_t>(length_of(table)) : columns[0].size();
  const auto& fit = made.regression.fit;
  const double factor = student_factor(*confidence, fit.degrees_of_freedom),
               noise = made.regression.residual_std;
  const auto p = fit.coefficients.size();
  const auto covariance = fit.covariance.to_vector<double>();
  std::vector<double> value(n), lower(n), upper(n), from(n), to(n);
  for (std::size_t k = 0; k < n; ++k) {
    std::vector<double> row = {1};
    for (const auto& c : columns) row.push_back(c[k]);
    double variance = 0;
    for (std::size_t i = 0; i < p; ++i) {
      value[k] += row[i] * fit.coefficients[i];
      for (std::size_t j = 0; j < p; ++j) variance += row[i] * row[j] * covariance[i * p + j];
    }
    const double reach = factor * std::sqrt(std::max(0.0, variance)),
                 far = factor * std::sqrt(std::max(0.0, variance) + noise * noise);
    lower[k] = value[k] - reach;
    upper[k] = value[k] + reach;
    from[k] = value[k] - far;
    to[k] = value[k] + far;
  }
  const auto column = [](const std::vector<double>& v) { return Value::array(Array::vector(v)); };
  return Value::record({{"value", column(value)},
                        {"lower", column(lower)},
                        {"upper", column(upper)},
                        {"prediction_lower", column(from)},
                        {"prediction_upper", column(to)}});
}

std::vector<std::size_t> complete_rows(const Call& call, const std::vector<std::vector<double>>& columns,
                                       const std::vector<std::string>& names, bool skip) {
  std::vector<std::size_t> rows;
  for (std::size_t r = 0; r < columns[0].size(); ++r) {
    bool is_complete = true;
    for (std::size_t c = 0; c < columns.size(); ++c) {
      if (std::isfinite(columns[c][r])) continue;
      if (!skip || std::isinf(columns[c][r]))
        call.fail_argument(
            0, fmt::format("contains {} in column `{}`, row {}", shortest(columns[c][r]), names[c], r + 1),
            std::isnan(columns[c][r]) ? "skip_nan: true leaves such rows out" : "");
      is_complete = false;
    }
    if (is_complete) rows.push_back(r);
  }
  return rows;
}

Value regress_row(Call& call) {
  const auto& table = table_argument(call, 0);
  const auto response = column_names(call, 1, table);
  if (response.size() != 1) call.fail_argument(1, "must be the name of one column");
  auto made = std::make_shared<Made>();
  std::vector<std::vector<double>> columns = {
      std::vector<double>(static_cast<std::size_t>(length_of(table)), 1.0)};
  std::vector<std::string> terms = {"(intercept)"};
  for (const auto& name : column_names(call, 2, table)) {
    if (name == response[0])
      call.fail_argument(2, fmt::format("must not name `{}`, which is explained", name));
    made->variables.push_back(variable_of(table, name));
    const auto& v = made->variables.back();
    for (auto& c : columns_of(table, v)) columns.push_back(std::move(c));
    if (v.levels.empty()) terms.push_back(name);
    for (const auto& level : v.levels) terms.push_back(fmt::format("{}: {}", name, level));
  }
  columns.push_back(numbers_in(table, response[0]));
  auto names = terms;
  names.push_back(response[0]);
  const bool has_weights = call.given(3) && !call.value(3).is(Kind::none);
  if (has_weights) {
    columns.push_back(call.value(3).is(Kind::text) ? numbers_in(table, call.text(3))
                                                   : call.vector(3).to_vector<double>());
    names.emplace_back("weights");
    if (columns.back().size() != columns[0].size())
      call.fail_argument(3, "must have one weight for each row");
  }
  const auto rows = complete_rows(call, columns, names, call.boolean_or(4, false));
  if (rows.size() <= terms.size())
    call.fail_argument(
        0, fmt::format("has {} complete rows, and {} coefficients need more", rows.size(), terms.size()));
  const auto chosen = [&](std::size_t c) {
    return matrix_of({columns[c]}, rows).with_shape({static_cast<Index>(rows.size())});
  };
  const auto x = matrix_of({columns.begin(), columns.begin() + static_cast<Index>(terms.size())}, rows);
  const auto y = chosen(terms.size());
  made->regression = regression(x, y, has_weights ? chosen(terms.size() + 1) : Array());
  const auto& r = made->regression;
  if (std::isinf(r.fit.condition)) {
    std::vector<std::string> dependent;
    for (const Index c : dependent_columns(x)) dependent.push_back(terms[static_cast<std::size_t>(c - 1)]);
    call.warn(
        fmt::format("the coefficients are not determined: {} depend on each other", list_in_prose(dependent)),
        "leave one of them out");
  }
  std::vector<double> t, p;
  const auto errors = r.fit.standard_errors();
  const Distribution student(DistributionKind::student_t, {static_cast<double>(r.fit.degrees_of_freedom)});
  for (std::size_t k = 0; k < terms.size(); ++k) {
    t.push_back(r.fit.coefficients[k] / errors[k]);
    p.push_back(std::isfinite(t.back()) ? 2 * student.survival(std::fabs(t.back()))
                : std::isinf(t.back())  ? 0
                                        : NAN);
  }
  const auto column = [](const std::vector<double>& v) { return Value::array(Array::vector(v)); };
  return Value::record({{"terms", Value::record({{"term", Value::array(Array::vector(terms))},
                                                 {"coefficient", column(r.fit.coefficients)},
                                                 {"standard_error", column(errors)},
                                                 {"t", column(t)},
                                                 {"p", column(p)}})},
                        {"coefficients", column(r.fit.coefficients)},
                        {"standard_errors", column(errors)},
                        {"covariance", Value::array(r.fit.covariance)},
                        {"r_squared", Value(r.fit.r_squared)},
                        {"adjusted_r_squared", Value(r.adjusted_r_squared)},
                        {"residual_std", Value(r.residual_std)},
                        {"degrees_of_freedom", Value(static_cast<double>(r.fit.degrees_of_freedom))},
                        {"f", Value(r.f)},
                        {"p", Value(r.f_p)},
                        {"fitted", column(r.fitted)},
                        {"residual", column(r.residual)},
                        {"standardized", column(r.standardized)},
                        {"leverage", column(r.leverage)},
                        {"cook", column(r.cook)},
                        {"predict", Method::make("predict", [made](Runtime&, std::span<Value> a) {
                           return predicted(*made, a);
                         })}});
}

class LocalValue : public LibraryObject {
 public:
  explicit LocalValue(LocalRegression f) : f_(std::move(f)) {}
  std::string type_name() const override { return "local regression"; }
  std::string describe() const override {
    return fmt::format("local regression of {} points, {} around each, {} … {}", f_.x().size(),
                       f_.neighbors(), with_digits(f_.x().front(), 5), with_digits(f_.x().back(), 5));
  }
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    const auto q = real_arguments("a local regression", arguments, 1);
    auto out = mapped(q, [&](const double* x) { return f_.at(x[0]); });
    if (const auto outside = count_outside_domain(q, out); outside > 0)
      runtime.warn(
          fmt::format("{} of {} queries are outside of the points, which cover {} … {}, and became nan",
                      outside, out.size(), with_digits(f_.x().front(), 5), with_digits(f_.x().back(), 5)),
          "", nullptr);
    return Value::array(std::move(out));
  }

 private:
  LocalRegression f_;
};

Value local_row(Call& call) {
  auto [x, y] = pairs_argument(call, 0, 1, call.boolean_or(5, false));
  const int degree = call.given(3) ? static_cast<int>(std::clamp<Index>(call.whole(3), -1, 9)) : 1;
  constexpr int rounds = 4;
  return {Kind::library, new LocalValue(LocalRegression(std::move(x), std::move(y), call.number_or(2, 0.5),
                                                        degree, call.boolean_or(4, false) ? rounds : 0))};
}

}  // namespace
}  // namespace regression_calls

std::vector<Builtin> regression_rows() {
  using namespace regression_calls;
  return {
      {
          .name = "regress",
          .family = kFamily,
          .summary = "Linear regression of one column of a table on others, with an intercept.",
          .parameters = {{"t", "a table", ""},
                         {"y", "name of the column that is explained", ""},
                         {"x",
                          "names of the columns that explain it: numbers, booleans, or texts as categories, "
                          "of which the "
                          "first in order is the reference",
                          ""},
                         {"weights", "weights, proportional to 1/σ²: a vector or the name of a column",
                          "none"},
                         {"skip_nan", "whether rows with nan are left out", "false"}},
          .returns = "a record: terms (table: term, coefficient, standard_error, t, p), coefficients (the "
                     "intercept first), "
                     "standard_errors, covariance, r_squared, adjusted_r_squared, residual_std, "
                     "degrees_of_freedom, f, p (against "
                     "the mean alone), fitted, residual, standardized, leverage, cook (distance); predict(t, "
                     "confidence) gives a "
                     "table: value, lower, upper (of the mean), prediction_lower, prediction_upper (of a new "
                     "observation)",
          .errors = "if there are no more complete rows than coefficients; if data are nan",
          .source = "least squares by Householder reflections; R. D. Cook, Technometrics 19, 1977",
          .example = "t = (depth: [1, 2, 3, 4], temp: [20.1, 18.9, 18.2, 16.8])\nregress(t, \"temp\", "
                     "\"depth\").coefficients",
          .output = "regress(t, \"temp\", \"depth\").coefficients : float64 2\n  21.15  -1.06",
          .run = regress_row,
      },
      {
          .name = "local_regression",
          .family = kFamily,
          .summary = "Smooth curve through scattered points by local polynomials (Cleveland).",
          .parameters = {{"x", "a vector", ""},
                         {"y", "vector of the same length", ""},
                         {"span", "share of the points that each local fit uses", "0.5"},
                         {"degree", "0, 1 or 2", "1"},
                         {"robust", "whether outliers are weighted down", "false"},
                         {"skip_nan", "whether pairs with nan are left out", "false"}},
          .returns = "a function of x that broadcasts; nan outside of the points, with a warning",
          .errors = "if the span holds too few points; if data are nan",
          .source = "W. S. Cleveland, J. Am. Stat. Assoc. 74, 1979",
          .example = "f = local_regression(0..20, 3 * (0..20) + 1)\nnear(f([2.5, 10]), [8.5, 31])",
          .output = "near(f([2.5, 10]), [8.5, 31]) = true",
          .run = local_row,
      },
  };
}

}  // namespace quill
