// Linear algebra.
#include <fmt/format.h>

#include <cmath>

#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/tables.h"
#include "numerics/fitting.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"

namespace quill {

namespace linear_calls {
namespace {

constexpr double kDigitsAreLost = 1e-12;

void warn_condition(const Call& call, double reciprocal) {
  if (reciprocal >= kDigitsAreLost) return;
  call.warn(
      fmt::format("the matrix is ill-conditioned: its condition number is about {}, so about {} of 16 digits "
                  "are lost",
                  with_digits(1 / reciprocal, 2),
                  std::min(16, static_cast<int>(std::round(-std::log10(std::max(reciprocal, 1e-300)))))),
      "shift or scale the variables");
}

// The matrices of a stack, whose axes before the last two are counted through in row order.
std::vector<Array> matrices_of(const Array& stack, int kept) {
  Shape shape;
  Index count = 1;
  for (int i = 0; i < stack.axes() - kept; ++i) count *= stack.extent(i);
  shape.push_back(count);
  for (int i = stack.axes() - kept; i < stack.axes(); ++i) shape.push_back(stack.extent(i));
  const auto flat = stack.with_shape(shape);
  std::vector<Array> out;
  for (Index k = 0; k < count; ++k) {
    const Subscript s[] = {{Subscript::Kind::position, k, 1, 1, {}}, {Subscript::Kind::rest, 0, 1, 0, {}}};
    out.push_back(select(flat, s));
  }
  return out;
}

// The results for each matrix of a stack under its leading axes.
Array restacked(const std::vector<Array>& parts, const Array& like) {
  Shape shape;
  for (int i = 0; i + 2 < like.axes(); ++i) shape.push_back(like.extent(i));
  for (const auto extent : parts[0].shape()) shape.push_back(extent);
  return stack(parts).with_shape(shape);
}

// f for a matrix, or for each matrix of a stack that holds any.
template <class F>
Array for_stack(const Array& a, F f) {
  if (a.axes() <= 2 || a.size() == 0) return f(a);
  std::vector<Array> parts;
  for (const auto& matrix : matrices_of(a, 2)) parts.push_back(f(matrix));
  return restacked(parts, a);
}

// The same for results of several parts, as a record.
template <class F>
Value records_for_stack(const Array& a, std::initializer_list<const char*> names, F f) {
  std::vector<std::vector<Array>> parts(names.size());
  const bool stacked = a.axes() > 2 && a.size() > 0;
  for (const auto& matrix : stacked ? matrices_of(a, 2) : std::vector<Array>{a}) {
    std::size_t k = 0;
    for (auto& part : f(matrix)) parts[k++].push_back(std::move(part));
  }
  std::vector<std::pair<std::string, Value>> fields;
  std::size_t k = 0;
  for (const auto* name : names) {
    const auto& part = parts[k++];
    fields.emplace_back(name, Value::array(stacked ? restacked(part, a) : part[0]));
  }
  return Value::record(std::move(fields));
}

Value solve_row(Call& call) {
  const auto a = call.numbers(0), b = call.numbers(1);
  double worst = 1;
  const auto one = [&](const Array& matrix, const Array& right) {
    auto solution = solve(matrix, right);
    worst = std::min(worst, solution.reciprocal_condition);
    return std::move(solution.x);
  };
  Array out;
  if (a.axes() <= 2 || a.size() == 0) {
    out = one(a, b);
  } else {
    const int kept = b.axes() == a.axes() ? 2 : 1;
    bool fits = b.axes() - kept == a.axes() - 2;
    for (int i = 0; fits && i + 2 < a.axes(); ++i) fits = a.extent(i) == b.extent(i);
    if (!fits)
      call.fail_argument(
          1,
          fmt::format("has shape {}, and the stack of matrices {}: the axes before the matrices must match",
                      text_of(b.shape()), text_of(a.shape())));
    std::vector<Array> parts;
    const auto matrices = matrices_of(a, 2), rights = matrices_of(b, kept);
    for (std::size_t k = 0; k < matrices.size(); ++k) parts.push_back(one(matrices[k], rights[k]));
    out = restacked(parts, a);
  }
  warn_condition(call, worst);
  return Value::array(std::move(out));
}

Value inverse_row(Call& call) {
  if (call.value(0).is(Kind::library)) {
    if (auto undone = call.value(0).object<LibraryObject>().inverse()) return *undone;
    call.fail_argument(
        0, fmt::format("must be a matrix or an interpolant, not {}", kind_in_words(call.value(0))));
  }
  double worst = 1;
  auto out = for_stack(call.numbers(0), [&](const Array& a) {
    auto result = inverse(a);
    worst = std::min(worst, result.reciprocal_condition);
    return std::move(result.matrix);
  });
  warn_condition(call, worst);
  return Value::array(std::move(out));
}

Value least_squares_row(Call& call) {
  const auto a = call.numbers(0), b = call.numbers(1);
  const bool is_real = a.type() != ElementType::complex128 && b.type() != ElementType::complex128;
  const auto told = [&](const Array& x, const Array& errors, const Array& residual_norm, Index rank) {
    return Value::record({{"coefficients", Value::array(x)},
                          {"standard_errors", Value::array(errors)},
                          {"residual", Value::array(apply(Binary::subtract, b, matrix_product(a, x)))},
                          {"residual_norm", Value::array(residual_norm)},
                          {"rank", Value(static_cast<double>(rank))}});
  };
  if (is_real && a.axes() == 2 && (b.axes() == 1 || b.axes() == 2)) {
    refuse_not_finite(a, "the matrix");
    refuse_not_finite(b, "the right-hand side");
    if (const auto solved = solve_squares(a, b))
      return told(solved->x, solved->errors, solved->residual_norm, a.extent(1));
  }
  const auto result = least_squares(a, b);
  const auto columns = is_real ? dependent_columns(a) : std::vector<Index>{};
  const auto named = columns.empty() ? "the columns" : fmt::format("columns {}", fmt::join(columns, ", "));
  if (result.rank < std::min(a.extent(0), a.extent(1)))
    call.warn(fmt::format("{} of the matrix are linearly dependent: its rank is {} of {}", named, result.rank,
                          std::min(a.extent(0), a.extent(1))),
              "the solution of minimum norm is returned; shift or scale x, or remove columns");
  else if (!columns.empty())
    call.warn(
        fmt::format("{} of the matrix are nearly linearly dependent: their coefficients have lost digits",
                    named),
        "shift and scale x, or remove columns");
  const auto errors = Array::filled<double>(result.x.shape(), std::numeric_limits<double>::quiet_NaN());
  return told(result.x, errors, result.residual_norm, result.rank);
}

Value vandermonde_row(Call& call) {
  const auto t = call.numbers(0);
  const auto columns = call.given(1) ? call.whole(1) : t.length();
  if (columns < 0 || columns > 100000)
    call.fail_argument(1, fmt::format("must be an integer from 0 to 100000, not {}", columns));
  return Value::array(vandermonde(t, columns));
}

Value trace_row(Call& call) {
  const auto a = call.numbers(0);
  if (a.axes() != 2)
    call.fail_argument(0, fmt::format("must be a matrix, not {}", kind_in_words(call.value(0))));
  return Value::array(reduce(Reduction::sum, diagonal(a)));
}

constexpr std::string_view kFamily = "linear algebra";

}  // namespace
}  // namespace linear_calls

std::vector<Builtin> linear_rows() {
  using namespace linear_calls;
  const Parameter square = {"A", "square matrix, real or complex", ""};
  const Parameter squares = {"A", "square matrix, real or complex, or a stack of them", ""};
  const Parameter matrix = {"A", "matrix, real or complex", ""};
  const Parameter matrices = {"A", "matrix, real or complex, or a stack of them", ""};
  return {
      {
          .name = "solve",
          .family = kFamily,
          .summary = "Solve the linear equations A x = b.",
          .parameters = {squares,
                         {"b",
                          "vector, or a matrix with one right-hand side in each column; for a stack, one for "
                          "each matrix",
                          ""}},
          .returns = "array of the shape of b",
          .errors = "if the matrix is not square or is singular; if data are nan; an ill-conditioned matrix "
                    "is a warning with its condition number",
          .source =
              "LU decomposition with partial pivoting and a condition estimate (LAPACK getrf, gecon, getrs)",
          .example = "A = [3, 2 | 1, 4]\nsolve(A, [7, 9])",
          .output = "solve(A, [7, 9]) : float64 2\n  1  2",
          .run = solve_row,
      },
      {
          .name = "least_squares",
          .family = kFamily,
          .summary = "Solve an overdetermined linear system by least squares, with minimum norm if the "
                     "solution is not unique.",
          .parameters = {matrix, {"b", "vector, or a matrix with one right-hand side in each column", ""}},
          .returns = "a record: coefficients, standard_errors (of a real problem with more rows than "
                     "columns), residual (vector b - A x), residual_norm, rank",
          .errors = "if the shapes do not match; if data are nan; linearly dependent columns are a warning "
                    "that names them",
          .source = "Householder reflections with one step of iterative refinement; singular value "
                    "decomposition for dependent columns (LAPACK gelsd)",
          .example = "A = [1, 1 | 1, 2 | 1, 3]\nnearest = least_squares(A, [2, 3, 5])\nnearest.coefficients",
          .output = "nearest.coefficients : float64 2\n  0.3333  1.5000",
          .run = least_squares_row,
      },
      {
          .name = "det",
          .family = kFamily,
          .summary = "Determinant of a square matrix.",
          .parameters = {squares},
          .returns = "a number; an array for a stack",
          .errors = "if the matrix is not square",
          .source = "LU decomposition (LAPACK getrf)",
          .example = "det([2, 1 | 1, 3])",
          .output = "det([2, 1 | 1, 3]) = 5",
          .run = [](Call& c) { return Value::array(for_stack(c.numbers(0), determinant)); },
      },
      {
          .name = "log_determinant",
          .family = kFamily,
          .summary =
              "Logarithm of the absolute value of the determinant, which itself may overflow or underflow.",
          .parameters = {square},
          .returns = "a record: value, sign (1, -1, or 0 for a singular matrix; the phase factor of a "
                     "complex determinant)",
          .errors = "if the matrix is not square",
          .source = "LU decomposition (LAPACK getrf)",
          .example = "d = log_determinant(1e-9 * identity(50))\nnear(d.value, 50 * log(1e-9))\nd.sign",
          .output = "near(d.value, 50 * log(1e-9)) = true\nd.sign = 1",
          .run =
              [](Call& c) {
                const auto d = log_determinant(c.numbers(0));
                return Value::record({{"value", Value(d.value)}, {"sign", Value::array(d.sign)}});
              },
      },
      {
          .name = "inverse",
          .family = kFamily,
          .summary = "Invert a matrix or an interpolant. To solve equations, solve(A, b) is faster and more "
                     "accurate.",
          .parameters =
              {{"A",
                "square matrix, a stack of them, or an interpolant of one increasing or decreasing curve",
                ""}},
          .returns = "array of the shape of A, or a function",
          .errors = "if the matrix is singular; if the interpolant is not monotonic; an ill-conditioned "
                    "matrix is a warning with its condition number",
          .source = "LU decomposition (LAPACK getrf, getri)",
          .example = "inverse([2, 0 | 0, 4])",
          .output = "inverse([2, 0 | 0, 4]) : float64 2×2\n  0.50  0.00\n  0.00  0.25",
          .run = inverse_row,
      },
      {
          .name = "trace",
          .family = kFamily,
          .summary = "Trace: the sum of the diagonal elements.",
          .parameters = {matrix},
          .returns = "a number",
          .example = "trace([1, 2 | 3, 4])",
          .output = "trace([1, 2 | 3, 4]) = 5",
          .run = trace_row,
      },
      {
          .name = "rank",
          .family = kFamily,
          .summary =
              "Rank of a matrix: the number of singular values above max(m, n) · 2^-52 times the largest.",
          .parameters = {matrix},
          .returns = "a number",
          .source = "singular value decomposition (LAPACK gesdd)",
          .example = "rank([1, 2 | 2, 4])",
          .output = "rank([1, 2 | 2, 4]) = 1",
          .run = [](Call& c) { return Value(static_cast<double>(rank(c.numbers(0)))); },
      },
      {
          .name = "condition_number",
          .family = kFamily,
          .summary = "Condition number: the largest singular value divided by the smallest.",
          .parameters = {matrix},
          .returns = "a number; inf for a singular matrix",
          .source = "singular value decomposition (LAPACK gesdd)",
          .example = "condition_number([1, 0 | 0, 0.01])",
          .output = "condition_number([1, 0 | 0, 0.01]) = 100",
          .run = [](Call& c) { return Value(condition_number(c.numbers(0))); },
      },
      {
          .name = "diagonal",
          .family = kFamily,
          .summary = "Extract the diagonal of a matrix, or build a diagonal matrix from a vector.",
          .parameters = {{"a", "matrix or vector", ""},
                         {"offset", "columns to the right of the main diagonal; negative to the left", "0"}},
          .returns = "a vector; or a matrix with zeros beside the diagonal",
          .errors = "if the offset is not an integer",
          .example = "diagonal([1, 2 | 3, 4])\ndiagonal([5], offset: 1)",
          .output = "diagonal([1, 2 | 3, 4]) : float64 2\n  1  4\n"
                    "diagonal([5], offset: 1) : float64 2×2\n  0  5\n  0  0",
          .run =
              [](Call& c) {
                const auto offset = c.given(1) ? c.whole(1) : 0;
                constexpr Index most = 1 << 20;
                if (std::abs(offset) > most)
                  c.fail_argument(1, fmt::format("must be from {} to {}, not {}", -most, most, offset));
                return Value::array(diagonal(c.numbers(0), offset));
              },
      },
      {
          .name = "lu",
          .family = kFamily,
          .summary = "Factorize a matrix into triangular factors: A[permutation, ..] = lower *+ upper.",
          .parameters = {matrix},
          .returns = "a record: lower, upper, permutation",
          .source = "partial pivoting (LAPACK getrf)",
          .example = "A = [1, 2 | 4, 2]\nf = lu(A)\nsame(f.lower *+ f.upper, A[f.permutation, ..])",
          .output = "same(f.lower *+ f.upper, A[f.permutation, ..]) = true",
          .run =
              [](Call& c) {
                auto f = lu_factors(c.numbers(0));
                return Value::record({{"lower", Value::array(f.lower)},
                                      {"upper", Value::array(f.upper)},
                                      {"permutation", Value::array(f.permutation)}});
              },
      },
      {
          .name = "qr",
          .family = kFamily,
          .summary = "Factorize a matrix into orthonormal columns and an upper triangle: A = q *+ r.",
          .parameters = {matrix},
          .returns = "a record: q, r",
          .source = "Householder reflections (LAPACK geqrf, orgqr)",
          .example = "A = [3, 1 | 4, 2]\nf = qr(A)\nnear(f.q' *+ f.q, identity(2), absolute: 1e-15)",
          .output = "near(f.q' *+ f.q, identity(2), absolute: 1e-15) = true",
          .run =
              [](Call& c) {
                auto f = qr_factors(c.numbers(0));
                return Value::record({{"q", Value::array(f.q)}, {"r", Value::array(f.r)}});
              },
      },
      {
          .name = "cholesky",
          .family = kFamily,
          .summary = "Factorize a positive definite matrix as A = L *+ adjoint(L), with lower triangular L.",
          .parameters = {square},
          .returns = "a matrix",
          .errors = "if the matrix is not symmetric; if it is not positive definite",
          .source = "LAPACK potrf",
          .example = "cholesky([4, 2 | 2, 5])",
          .output = "cholesky([4, 2 | 2, 5]) : float64 2×2\n  2  0\n  1  2",
          .run = [](Call& c) { return Value::array(cholesky(c.numbers(0))); },
      },
      {
          .name = "svd",
          .family = kFamily,
          .summary = "Singular value decomposition: A = u *+ diagonal(values) *+ adjoint(v).",
          .parameters = {matrices},
          .returns = "a record: u, values (in descending order), v",
          .source = "LAPACK gesdd",
          .example = "svd([3, 0 | 0, -2]).values",
          .output = "svd([3, 0 | 0, -2]).values : float64 2\n  3  2",
          .run =
              [](Call& c) {
                return records_for_stack(c.numbers(0), {"u", "values", "v"}, [](const Array& a) {
                  auto s = singular_values(a);
                  return std::vector<Array>{s.u, s.values, s.v};
                });
              },
      },
      {
          .name = "eigen",
          .family = kFamily,
          .summary = "Compute eigenvalues and eigenvectors: A *+ vectors = vectors * across(values).",
          .parameters = {squares},
          .returns = "a record: values, vectors (columns of norm 1); real and in ascending order for a "
                     "symmetric or Hermitian A, complex otherwise",
          .errors = "if the matrix is not square",
          .source = "LAPACK syevd, heevd, geev",
          .example = "eigen([2, 1 | 1, 2]).values",
          .output = "eigen([2, 1 | 1, 2]).values : float64 2\n  1  3",
          .run =
              [](Call& c) {
                return records_for_stack(c.numbers(0), {"values", "vectors"}, [](const Array& a) {
                  auto e = eigen_parts(a);
                  return std::vector<Array>{e.values, e.vectors};
                });
              },
      },
      {
          .name = "eigenvalues",
          .family = kFamily,
          .summary = "Compute the eigenvalues alone.",
          .parameters = {squares},
          .returns =
              "a vector; real and in ascending order for a symmetric or Hermitian A, complex otherwise",
          .errors = "if the matrix is not square",
          .source = "LAPACK syevd, heevd, geev",
          .example = "eigenvalues([0, -1 | 1, 0])",
          .output = "eigenvalues([0, -1 | 1, 0]) : complex128 2\n  0 - 1i  0 + 1i",
          .run = [](Call& c) { return Value::array(for_stack(c.numbers(0), eigenvalues)); },
      },
      {
          .name = "null_basis",
          .family = kFamily,
          .summary = "Compute an orthonormal basis of the null space.",
          .parameters = {matrix},
          .returns = "a matrix with the basis in its columns; without columns if the null space is trivial",
          .source = "singular value decomposition (LAPACK gesdd)",
          .example = "A = [1, 1 | 2, 2]\nnorm(A *+ null_basis(A)) < 1e-15",
          .output = "norm(A *+ null_basis(A)) < 1e-15 = true",
          .run = [](Call& c) { return Value::array(null_basis(c.numbers(0))); },
      },
      {
          .name = "outer",
          .family = kFamily,
          .summary = "Outer product: the products of all pairs of elements of two vectors.",
          .parameters = {{"a", "a vector", ""}, {"b", "a vector", ""}},
          .returns = "a matrix; a varies along the rows' axis, b along the columns'",
          .example = "outer([1, 2], [10, 20])",
          .output = "outer([1, 2], [10, 20]) : float64 2×2\n  10  20\n  20  40",
          .run =
              [](Call& c) {
                return Value::array(apply(Binary::multiply, down(c.numbers(0)), across(c.numbers(1))));
              },
      },
      {
          .name = "kron",
          .family = kFamily,
          .summary = "Kronecker product: blocks of each element of A times B.",
          .parameters = {{"A", "a matrix", ""}, {"B", "a matrix", ""}},
          .returns = "a matrix",
          .example = "kron(identity(2), [1, 2 | 3, 4])",
          .output = "kron(identity(2), [1, 2 | 3, 4]) : float64 4×4\n  1  2  0  0\n  3  4  0  0\n  0  0  1  "
                    "2\n  0  0  3  "
                    "4",
          .run = [](Call& c) { return Value::array(kronecker(c.numbers(0), c.numbers(1))); },
      },
      {
          .name = "cross",
          .family = kFamily,
          .summary = "Vector product of two vectors of three elements.",
          .parameters = {{"a", "vector of three elements", ""}, {"b", "vector of three elements", ""}},
          .returns = "vector of three elements",
          .example = "cross([1, 0, 0], [0, 1, 0])",
          .output = "cross([1, 0, 0], [0, 1, 0]) : float64 3\n  0  0  1",
          .run = [](Call& c) { return Value::array(cross(c.numbers(0), c.numbers(1))); },
          .of_numbers = OfNumbers{{3, 3},
                                  3,
                                  [](std::span<const double> given, double* result) {
                                    cross(given.first(3), given.last(3), result);
                                    return true;
                                  }},
      },
      {
          .name = "vandermonde",
          .family = kFamily,
          .summary = "Vandermonde matrix: the powers of a vector, the highest first.",
          .parameters = {{"t", "a vector", ""},
                         {"columns", "number of columns; none: as many as t has elements", "none"}},
          .returns = "a matrix with one row for each element of t",
          .example = "vandermonde([1, 2, 3])",
          .output = "vandermonde([1, 2, 3]) : float64 3×3\n  1  1  1\n  4  2  1\n  9  3  1",
          .run = vandermonde_row,
      },
      {
          .name = "matrix_exponential",
          .family = kFamily,
          .summary = "Matrix exponential, which solves y' = A y.",
          .parameters = {square},
          .returns = "a matrix",
          .errors = "if the matrix is not square",
          .source = "scaling and squaring (A. H. Al-Mohy, N. J. Higham, SIAM J. Matrix Anal. Appl. 31, 2009)",
          .example = "near(matrix_exponential([0, -pi | pi, 0]), -identity(2), absolute: 1e-14)",
          .output = "near(matrix_exponential([0, -pi | pi, 0]), -identity(2), absolute: 1e-14) = true",
          .run = [](Call& c) { return Value::array(matrix_exponential(c.numbers(0))); },
      },
  };
}

}  // namespace quill
