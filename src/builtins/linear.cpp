// Linear algebra.
#include <fmt/format.h>

#include <cmath>

#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"

namespace quill {

namespace {

constexpr double kDigitsAreLost = 1e-12;

void warn_condition(const Call& call, double reciprocal) {
  if (reciprocal >= kDigitsAreLost) return;
  call.warn(
      fmt::format("the matrix is badly conditioned: its condition number is about {}, so that about "
                  "{} of 16 digits are lost",
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
          1, fmt::format("has shape {}, and the stack of matrices {}: the axes before the matrices must "
                         "agree",
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
    call.fail_argument(0, fmt::format("is a matrix or an interpolant, not {}", kind_in_words(call.value(0))));
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
  auto result = least_squares(a, b);
  if (result.rank < std::min(a.extent(0), a.extent(1)))
    call.warn(fmt::format("the columns of the matrix depend on each other: its rank is {} of {}", result.rank,
                          std::min(a.extent(0), a.extent(1))),
              "the coefficients of least size are given; shift or scale x, or leave columns out");
  return Value::record({{"coefficients", Value::array(result.x)},
                        {"residual", Value::array(result.residual)},
                        {"rank", Value(static_cast<double>(result.rank))}});
}

Value vandermonde_row(Call& call) {
  const auto t = call.numbers(0);
  const auto columns = call.given(1) ? call.whole(1) : t.length();
  if (columns < 0 || columns > 100000)
    call.fail_argument(1, fmt::format("is a count from 0, not {}", columns));
  return Value::array(vandermonde(t, columns));
}

Value trace_row(Call& call) {
  const auto a = call.numbers(0);
  if (a.axes() != 2) call.fail_argument(0, fmt::format("is a matrix, not {}", kind_in_words(call.value(0))));
  return Value::array(reduce(Reduction::sum, diagonal(a)));
}

constexpr std::string_view kFamily = "linear algebra";

}  // namespace

std::vector<Builtin> linear_rows() {
  const Parameter square = {"A", "a square matrix, real or complex", ""};
  const Parameter squares = {"A", "a square matrix, real or complex, or a stack of them", ""};
  const Parameter matrix = {"A", "a matrix, real or complex", ""};
  const Parameter matrices = {"A", "a matrix, real or complex, or a stack of them", ""};
  return {
      {"solve",
       kFamily,
       "The solution x of the linear equations A x = b.",
       {squares, {"b", "a vector, or a matrix of right sides; for a stack one for each matrix", ""}},
       "an array of the shape of b",
       "a matrix that is not square or singular, nan; a bad condition is a warning with the condition number",
       "LU factors with partial pivoting and a condition estimate (LAPACK getrf, gecon, getrs)",
       "A = [3, 2 | 1, 4]\nsolve(A, [7, 9])",
       "solve(A, [7, 9]) : float64 2\n  1  2",
       solve_row},
      {"least_squares",
       kFamily,
       "The x that makes A x nearest to b, of least size when there are several.",
       {matrix, {"b", "a vector, or a matrix of right sides", ""}},
       "a record: coefficients, residual (the size of A x - b), rank",
       "shapes that do not fit, nan; a lower rank is a warning",
       "singular value decomposition (LAPACK gelsd)",
       "A = [1, 1 | 1, 2 | 1, 3]\nnearest = least_squares(A, [2, 3, 5])\nnearest.coefficients",
       "nearest.coefficients : float64 2\n  0.3333  1.5000",
       least_squares_row},
      {"det",
       kFamily,
       "The determinant.",
       {squares},
       "a number; of a stack an array",
       "a matrix that is not square",
       "LU factors (LAPACK getrf)",
       "det([2, 1 | 1, 3])",
       "det([2, 1 | 1, 3]) = 5",
       [](Call& c) { return Value::array(for_stack(c.numbers(0), determinant)); }},
      {"inverse",
       kFamily,
       "The inverse matrix, or the function that undoes an interpolant. To solve equations, solve(A, b) is "
       "faster and more accurate.",
       {{"A", "a square matrix, a stack of them, or an interpolant of one rising or falling curve", ""}},
       "an array of the shape of A, or a function",
       "a singular matrix; an interpolant that turns back; a bad condition is a warning with the condition "
       "number",
       "LU factors (LAPACK getrf, getri)",
       "inverse([2, 0 | 0, 4])",
       "inverse([2, 0 | 0, 4]) : float64 2×2\n  0.50  0.00\n  0.00  0.25",
       inverse_row},
      {"trace",
       kFamily,
       "The sum of the diagonal.",
       {matrix},
       "a number",
       "",
       "",
       "trace([1, 2 | 3, 4])",
       "trace([1, 2 | 3, 4]) = 5",
       trace_row},
      {"rank",
       kFamily,
       "The rank: how many singular values are above max(m, n) · 2^-52 times the largest.",
       {matrix},
       "a number",
       "",
       "singular value decomposition (LAPACK gesdd)",
       "rank([1, 2 | 2, 4])",
       "rank([1, 2 | 2, 4]) = 1",
       [](Call& c) { return Value(static_cast<double>(rank(c.numbers(0)))); }},
      {"condition_number",
       kFamily,
       "The largest singular value over the smallest: how much relative errors may grow.",
       {matrix},
       "a number, inf for a singular matrix",
       "",
       "singular value decomposition (LAPACK gesdd)",
       "condition_number([1, 0 | 0, 0.01])",
       "condition_number([1, 0 | 0, 0.01]) = 100",
       [](Call& c) { return Value(condition_number(c.numbers(0))); }},
      {"diagonal",
       kFamily,
       "The diagonal of a matrix, or the matrix that has a vector on its diagonal.",
       {{"a", "a matrix or a vector", ""}},
       "a vector, or a matrix",
       "",
       "",
       "diagonal([1, 2 | 3, 4])\ndiagonal([1, 2])",
       "diagonal([1, 2 | 3, 4]) : float64 2\n  1  4\ndiagonal([1, 2]) : float64 2×2\n  1  0\n  0  2",
       [](Call& c) { return Value::array(diagonal(c.numbers(0))); }},
      {"lu",
       kFamily,
       "Triangular factors: A[permutation, ..] = lower *+ upper.",
       {matrix},
       "a record: lower, upper, permutation",
       "",
       "partial pivoting (LAPACK getrf)",
       "A = [1, 2 | 4, 2]\nf = lu(A)\nsame(f.lower *+ f.upper, A[f.permutation, ..])",
       "same(f.lower *+ f.upper, A[f.permutation, ..]) = true",
       [](Call& c) {
         auto f = lu_factors(c.numbers(0));
         return Value::record({{"lower", Value::array(f.lower)},
                               {"upper", Value::array(f.upper)},
                               {"permutation", Value::array(f.permutation)}});
       }},
      {"qr",
       kFamily,
       "Orthonormal columns and an upper triangle: A = q *+ r.",
       {matrix},
       "a record: q, r",
       "",
       "Householder reflections (LAPACK geqrf, orgqr)",
       "A = [3, 1 | 4, 2]\nf = qr(A)\nnear(f.q' *+ f.q, identity(2), absolute: 1e-15)",
       "near(f.q' *+ f.q, identity(2), absolute: 1e-15) = true",
       [](Call& c) {
         auto f = qr_factors(c.numbers(0));
         return Value::record({{"q", Value::array(f.q)}, {"r", Value::array(f.r)}});
       }},
      {"cholesky",
       kFamily,
       "The lower triangle L with A = L *+ adjoint(L), for a symmetric positive definite A.",
       {square},
       "a matrix",
       "a matrix that is not symmetric, or not positive definite",
       "LAPACK potrf",
       "cholesky([4, 2 | 2, 5])",
       "cholesky([4, 2 | 2, 5]) : float64 2×2\n  2  0\n  1  2",
       [](Call& c) { return Value::array(cholesky(c.numbers(0))); }},
      {"svd",
       kFamily,
       "Singular values: A = u *+ diagonal(values) *+ adjoint(v).",
       {matrices},
       "a record: u, values (falling), v",
       "",
       "LAPACK gesdd",
       "svd([3, 0 | 0, -2]).values",
       "svd([3, 0 | 0, -2]).values : float64 2\n  3  2",
       [](Call& c) {
         return records_for_stack(c.numbers(0), {"u", "values", "v"}, [](const Array& a) {
           auto s = singular_values(a);
           return std::vector<Array>{s.u, s.values, s.v};
         });
       }},
      {"eigen",
       kFamily,
       "Eigenvalues and eigenvectors: A *+ vectors = vectors * across(values).",
       {squares},
       "a record: values, vectors (columns of length 1); real and rising for a symmetric or Hermitian A, "
       "complex "
       "otherwise",
       "a matrix that is not square",
       "LAPACK syevd, heevd, geev",
       "eigen([2, 1 | 1, 2]).values",
       "eigen([2, 1 | 1, 2]).values : float64 2\n  1  3",
       [](Call& c) {
         return records_for_stack(c.numbers(0), {"values", "vectors"}, [](const Array& a) {
           auto e = eigen_parts(a);
           return std::vector<Array>{e.values, e.vectors};
         });
       }},
      {"eigenvalues",
       kFamily,
       "The eigenvalues alone.",
       {squares},
       "a vector; real and rising for a symmetric or Hermitian A, complex otherwise",
       "a matrix that is not square",
       "LAPACK syevd, heevd, geev",
       "eigenvalues([0, -1 | 1, 0])",
       "eigenvalues([0, -1 | 1, 0]) : complex128 2\n  0 - 1i  0 + 1i",
       [](Call& c) { return Value::array(for_stack(c.numbers(0), eigenvalues)); }},
      {"null_space",
       kFamily,
       "Orthonormal columns that A takes to zero.",
       {matrix},
       "a matrix, without columns when there is nothing but zero",
       "",
       "singular value decomposition (LAPACK gesdd)",
       "A = [1, 1 | 2, 2]\nnorm(A *+ null_space(A)) < 1e-15",
       "norm(A *+ null_space(A)) < 1e-15 = true",
       [](Call& c) { return Value::array(null_space(c.numbers(0))); }},
      {"outer",
       kFamily,
       "The products of all pairs of elements of two vectors.",
       {{"a", "a vector", ""}, {"b", "a vector", ""}},
       "a matrix: a runs down, b across",
       "",
       "",
       "outer([1, 2], [10, 20])",
       "outer([1, 2], [10, 20]) : float64 2×2\n  10  20\n  20  40",
       [](Call& c) {
         return Value::array(apply(Binary::multiply, down(c.numbers(0)), across(c.numbers(1))));
       }},
      {"kron",
       kFamily,
       "The Kronecker product: each element of A times all of B, as blocks.",
       {{"A", "a matrix", ""}, {"B", "a matrix", ""}},
       "a matrix",
       "",
       "",
       "kron(identity(2), [1, 2 | 3, 4])",
       "kron(identity(2), [1, 2 | 3, 4]) : float64 4×4\n  1  2  0  0\n  3  4  0  0\n  0  0  1  2\n  0  0  3  "
       "4",
       [](Call& c) { return Value::array(kronecker(c.numbers(0), c.numbers(1))); }},
      {"cross",
       kFamily,
       "The vector product of two vectors of three elements.",
       {{"a", "a vector of three elements", ""}, {"b", "a vector of three elements", ""}},
       "a vector of three elements",
       "",
       "",
       "cross([1, 0, 0], [0, 1, 0])",
       "cross([1, 0, 0], [0, 1, 0]) : float64 3\n  0  0  1",
       [](Call& c) { return Value::array(cross(c.numbers(0), c.numbers(1))); }},
      {"vandermonde",
       kFamily,
       "The matrix of powers of a vector, the highest first.",
       {{"t", "a vector", ""}, {"columns", "how many; none: as many as t has elements", "none"}},
       "a matrix with one row for each element of t",
       "",
       "",
       "vandermonde([1, 2, 3])",
       "vandermonde([1, 2, 3]) : float64 3×3\n  1  1  1\n  4  2  1\n  9  3  1",
       vandermonde_row},
      {"matrix_exp",
       kFamily,
       "The exponential function of a matrix, which solves y' = A y.",
       {square},
       "a matrix",
       "a matrix that is not square",
       "scaling and squaring (N. J. Higham, SIAM J. Matrix Anal. Appl. 26, 2005; Eigen)",
       "near(matrix_exp([0, -pi | pi, 0]), -identity(2), absolute: 1e-14)",
       "near(matrix_exp([0, -pi | pi, 0]), -identity(2), absolute: 1e-14) = true",
       [](Call& c) { return Value::array(matrix_exponential(c.numbers(0))); }},
  };
}

}  // namespace quill
