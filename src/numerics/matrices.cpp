#include "numerics/matrices.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "numerics/lapack.h"
#include "numerics/linear_algebra.h"
#include "numerics/tall.h"

namespace quill {

namespace {

constexpr double kRoundoff = std::numeric_limits<double>::epsilon();

lapack::Size size_in_lapack(Index n) { return static_cast<lapack::Size>(n); }

// The library counts elements in 32 bits; tall matrices do not get there in one piece.
void check_size(Index rows, Index columns, Index most_elements = std::numeric_limits<lapack::Size>::max()) {
  const auto [few, many] = std::minmax(rows, columns);
  if (many > std::numeric_limits<lapack::Size>::max() ||
      (!is_tall(many, few) && rows * columns > most_elements))
    fail(fmt::format("a matrix of {} × {} is too large for this", rows, columns));
}

// The matrix with elements of its own in float64 or complex128.
Array checked(const Array& a, std::string_view what, bool square) {
  if (!is_numeric(a.type())) fail(fmt::format("{} takes numbers, not {}", what, name_of(a.type())));
  if (a.axes() != 2 || (square && a.extent(0) != a.extent(1)))
    fail(fmt::format("{} takes a {}matrix, not an array of shape {}", what, square ? "square " : "",
                     text_of(a.shape())));
  check_size(a.extent(0), a.extent(1));
  refuse_not_finite(a, "the matrix");
  auto out = (a.type() == ElementType::complex128 ? a : a.converted(ElementType::float64)).copied();
  out.label.reset();
  return out;
}

// Calls f(Tag<double>{}) or f(Tag<Complex>{}).
template <class F>
auto visit_matrix(const Array& a, F f) {
  return a.type() == ElementType::complex128 ? f(Tag<Complex>{}) : f(Tag<double>{});
}

[[noreturn]] void fail_to_converge(std::string_view what) { fail(fmt::format("{} did not converge", what)); }

// Up to the rounding of a product like X' *+ X.
bool is_hermitian(const Array& a) {
  const auto turned = a.transposed();
  const auto other = a.type() == ElementType::complex128 ? apply(Unary::conj, turned) : turned;
  const auto off = reduce(Reduction::maximum, apply(Unary::abs, apply(Binary::subtract, a, other)));
  const auto size = reduce(Reduction::maximum, apply(Unary::abs, a));
  constexpr double rounding = 16 * std::numeric_limits<double>::epsilon();
  return *off.data<double>() <= rounding * *size.data<double>();
}

// Zeros on one side of the diagonal.
template <class T>
void clear_triangle(Array& a, bool above) {
  T* data = a.mutable_data<T>();
  for (Index r = 0; r < a.extent(0); ++r)
    for (Index c = 0; c < a.extent(1); ++c)
      if (above ? c > r : c < r) data[r * a.extent(1) + c] = 0;
}

Array columns_of(const Array& a, Index first, Index count) {
  const Subscript s[] = {everything(a.extent(0)), {Subscript::Kind::run, first, 1, count, {}}};
  return select(a, s);
}
Array rows_of(const Array& a, Index first, Index count) {
  const Subscript s[] = {{Subscript::Kind::run, first, 1, count, {}}, everything(a.extent(1))};
  return select(a, s);
}

Array adjoint(const Array& a) {
  return a.type() == ElementType::complex128 ? apply(Unary::conj, a.transposed()) : a.transposed();
}

struct Factored {
  Array matrix;
  std::vector<lapack::Size> pivots;
  bool singular = false;
};

Factored factored(const Array& a, std::string_view what, bool square) {
  Factored f{checked(a, what, square), {}, false};
  const auto m = size_in_lapack(a.extent(0)), n = size_in_lapack(a.extent(1));
  const auto pivots = std::make_shared<std::vector<lapack::Size>>(static_cast<std::size_t>(std::min(m, n)));
  if (pivots->empty()) return f;
  visit_matrix(f.matrix, [&]<class T>(Tag<T>) {
    const auto call = [m, n, data = f.matrix.mutable_data<T>(), p = pivots->data()] {
      return lapack::getrf(m, n, data, p);
    };
    f.singular = lapack::leavable(lapack::cube(m, n), call, f.matrix, pivots) > 0;
  });
  f.pivots = *pivots;
  return f;
}

}  // namespace

LuFactors lu_factors(const Array& a) {
  const auto f = factored(a, "lu", false);
  const Index m = a.extent(0), n = a.extent(1), k = std::min(m, n);
  std::vector<double> order(static_cast<std::size_t>(m));
  std::iota(order.begin(), order.end(), 1.0);
  for (std::size_t i = 0; i < f.pivots.size(); ++i)
    std::swap(order[i], order[static_cast<std::size_t>(f.pivots[i]) - 1]);
  LuFactors out{columns_of(f.matrix, 0, k).copied(), rows_of(f.matrix, 0, k).copied(), Array::vector(order)};
  visit_matrix(f.matrix, [&]<class T>(Tag<T>) {
    clear_triangle<T>(out.lower, true);
    for (Index i = 0; i < k; ++i) out.lower.mutable_data<T>()[i * k + i] = 1;
    clear_triangle<T>(out.upper, false);
  });
  return out;
}

QrFactors qr_factors(const Array& a) {
  auto work = checked(a, "qr", false);
  if (is_tall(a.extent(0), a.extent(1))) {
    QrFactors out;
    out.r = tall_qr_in_place(work);
    out.q = std::move(work);
    return out;
  }
  const auto m = size_in_lapack(a.extent(0)), n = size_in_lapack(a.extent(1)), k = std::min(m, n);
  QrFactors out;
  visit_matrix(work, [&]<class T>(Tag<T>) {
    const auto scales = std::make_shared<std::vector<T>>(static_cast<std::size_t>(k));
    auto* const data = work.mutable_data<T>();
    const auto factor = [m, n, data, t = scales->data()] { return lapack::geqrf(m, n, data, t); };
    if (k > 0) lapack::leavable(lapack::cube(m, n), factor, work, scales);
    out.r = rows_of(work, 0, k).copied();
    clear_triangle<T>(out.r, false);
    const auto spread = [m, n, k, data, t = scales->data()] { return lapack::orgqr(m, k, data, n, t); };
    if (k > 0) lapack::leavable(lapack::cube(m, n), spread, work, scales);
    out.q = columns_of(work, 0, k).copied();
  });
  return out;
}

Array cholesky(const Array& a) {
  auto work = checked(a, "cholesky", true);
  const auto difference = apply(Unary::abs, apply(Binary::subtract, work, adjoint(work)));
  const auto size = apply(Unary::abs, work);
  if (work.size() > 0 && *reduce(Reduction::maximum, difference).data<double>() >
                             1e-12 * *reduce(Reduction::maximum, size).data<double>())
    fail("the matrix is not symmetric, so it has no Cholesky factor", "lu(A) factorizes any matrix");
  const auto n = size_in_lapack(a.extent(0));
  if (n == 0) return work;
  visit_matrix(work, [&]<class T>(Tag<T>) {
    const auto call = [n, data = work.mutable_data<T>()] { return lapack::potrf(n, data); };
    const auto failed = lapack::leavable(lapack::cube(n, n), call, work);
    if (failed > 0)
      fail(fmt::format("the matrix is not positive definite: see its first {} rows and columns", failed),
           "a positive definite matrix has positive eigenvalues: eigenvalues(A)");
    clear_triangle<T>(work, true);
  });
  return work;
}

namespace {

SingularValues singular_parts(const Array& a, std::string_view what, bool whole_v, bool with_u) {
  auto work = checked(a, what, false);
  // A matrix with many rows has the singular values of its triangle; one with many columns those of its
  // adjoint.
  if (is_tall(a.extent(0), a.extent(1)) && !(whole_v && with_u)) {
    if (!with_u) return singular_parts(tall_triangle(work), what, whole_v, false);
    const auto r = tall_qr_in_place(work);
    auto out = singular_parts(r, what, false, true);
    out.u = matrix_product(work, out.u);
    return out;
  }
  if (is_tall(a.extent(1), a.extent(0)) && !whole_v) {
    auto out = singular_parts(adjoint(work), what, false, true);
    std::swap(out.u, out.v);
    return out;
  }
  constexpr Index counts_in_32_bits = Index{23000} * 23000;
  check_size(a.extent(0), a.extent(1), counts_in_32_bits);
  const auto m = size_in_lapack(a.extent(0)), n = size_in_lapack(a.extent(1)), k = std::min(m, n);
  const Index v_rows = whole_v ? n : k;
  SingularValues out;
  visit_matrix(work, [&]<class T>(Tag<T>) {
    const auto type = type_of<T>;
    out.values = Array(ElementType::float64, {k});
    out.u = Array(type, {m, whole_v ? m : k});
    Array v(type, {v_rows, n});
    if (k == 0) {
      out.v = identity(n).converted(type);
      out.u = identity(m).converted(type);
      return;
    }
    const auto call = [m, n, whole_v, a = work.mutable_data<T>(), s = out.values.mutable_data<double>(),
                       u = out.u.mutable_data<T>(), width = size_in_lapack(out.u.extent(1)),
                       to = v.mutable_data<T>()] {
      return lapack::gesdd(whole_v ? 'A' : 'S', m, n, a, s, u, width, to, n);
    };
    const auto failed = lapack::leavable(10 * lapack::cube(m, n), call, work, out.values, out.u, v);
    if (failed > 0) fail_to_converge("the singular value decomposition");
    out.v = adjoint(v).copied();
  });
  return out;
}

double rank_limit(const Array& a, const Array& values) {
  if (values.size() == 0) return 0;
  return static_cast<double>(std::max(a.extent(0), a.extent(1))) * kRoundoff * values.data<double>()[0];
}

}  // namespace

SingularValues singular_values(const Array& a) { return singular_parts(a, "svd", false, true); }

Index rank(const Array& a) {
  const auto values = singular_parts(a, "rank", false, false).values;
  const double limit = rank_limit(a, values);
  Index count = 0;
  for (Index k = 0; k < values.size(); ++k) count += values.data<double>()[k] > limit;
  return count;
}

double condition_number(const Array& a) {
  const auto values = singular_parts(a, "condition_number", false, false).values;
  if (values.size() == 0) return 1;
  const double least = values.data<double>()[values.size() - 1], most = values.data<double>()[0];
  return least == 0 ? std::numeric_limits<double>::infinity() : most / least;
}

Array null_basis(const Array& a) {
  const auto parts = singular_parts(a, "null_basis", true, false);
  const double limit = rank_limit(a, parts.values);
  Index kept = 0;
  while (kept < parts.values.size() && parts.values.data<double>()[kept] > limit) ++kept;
  return columns_of(parts.v, kept, parts.v.extent(1) - kept).copied();
}

namespace {

// Real matrices have their complex pairs in two columns, one for the real and one for the imaginary part.
EigenParts general_eigen(const Array& a, bool vectors) {
  auto work = a.copied();
  const auto n = size_in_lapack(a.extent(0));
  const auto kept_values = std::make_shared<std::vector<Complex>>(static_cast<std::size_t>(n));
  auto& values = *kept_values;
  Array columns(ElementType::complex128, {n, vectors ? n : 0});
  const char job = vectors ? 'V' : 'N';
  Complex* to = columns.mutable_data<Complex>();
  if (a.type() == ElementType::complex128) {
    const auto call = [n, job, a = work.mutable_data<Complex>(), w = values.data(), to] {
      return LAPACKE_zgeev(lapack::kRows, 'N', job, n, a, n, w, nullptr, n, to, n);
    };
    if (lapack::leavable(10 * lapack::cube(n, n), call, work, kept_values, columns) > 0)
      fail_to_converge("the eigenvalue iteration");
  } else {
    struct Parts {
      std::vector<double> re, im, packed;
    };
    const auto parts = std::make_shared<Parts>();
    auto& [re, im, packed] = *parts;
    re.resize(values.size());
    im.resize(values.size());
    packed.resize(vectors ? values.size() * values.size() : 1);
    const auto call = [n, job, a = work.mutable_data<double>(), p = parts.get()] {
      return LAPACKE_dgeev(lapack::kRows, 'N', job, n, a, n, p->re.data(), p->im.data(), nullptr, n,
                           p->packed.data(), n);
    };
    if (lapack::leavable(10 * lapack::cube(n, n), call, work, parts) > 0)
      fail_to_converge("the eigenvalue iteration");
    for (std::size_t k = 0; k < values.size(); ++k) values[k] = {re[k], im[k]};
    const auto at = [&packed = parts->packed, n](Index r, Index c) {
      return packed[static_cast<std::size_t>(r * n + c)];
    };
    for (Index c = 0; vectors && c < n; ++c)
      for (Index r = 0; r < n; ++r) {
        const double imaginary = parts->im[static_cast<std::size_t>(c)];
        to[r * n + c] = imaginary == 0  ? Complex(at(r, c))
                        : imaginary > 0 ? Complex(at(r, c), at(r, c + 1))
                                        : Complex(at(r, c - 1), -at(r, c));
      }
  }
  std::vector<Index> order(values.size());
  std::iota(order.begin(), order.end(), Index{0});
  std::stable_sort(order.begin(), order.end(), [&](Index i, Index k) {
    const auto x = values[static_cast<std::size_t>(i)], y = values[static_cast<std::size_t>(k)];
    return x.real() != y.real() ? x.real() < y.real() : x.imag() < y.imag();
  });
  EigenParts out{Array(ElementType::complex128, {n}), Array()};
  for (Index k = 0; k < n; ++k)
    out.values.mutable_data<Complex>()[k] =
        values[static_cast<std::size_t>(order[static_cast<std::size_t>(k)])];
  if (vectors) {
    const Subscript s[] = {everything(n), {Subscript::Kind::positions, 0, 1, n, order}};
    out.vectors = select(columns, s);
  }
  return out;
}

EigenParts eigen_of(const Array& a, std::string_view what, bool vectors) {
  auto work = checked(a, what, true);
  constexpr Index counts_in_32_bits = Index{23000} * 23000;
  check_size(a.extent(0), a.extent(1), counts_in_32_bits);
  const auto n = size_in_lapack(a.extent(0));
  if (n == 0) return {Array(ElementType::float64, {0}), work};
  if (!is_hermitian(work)) return general_eigen(work, vectors);
  EigenParts out{Array(ElementType::float64, {n}), Array()};
  visit_matrix(work, [&]<class T>(Tag<T>) {
    const auto call = [n, vectors, a = work.mutable_data<T>(), w = out.values.mutable_data<double>()] {
      return lapack::syevd(vectors ? 'V' : 'N', n, a, w);
    };
    if (lapack::leavable(5 * lapack::cube(n, n), call, work, out.values) > 0)
      fail_to_converge("the eigenvalue iteration");
  });
  if (vectors) out.vectors = work;
  return out;
}

}  // namespace

EigenParts eigen_parts(const Array& a) { return eigen_of(a, "eigen", true); }
Array eigenvalues(const Array& a) { return eigen_of(a, "eigenvalues", false).values; }

namespace {

// The determinant as a number of size about 1 and a power of two, which products of many factors do not
// leave.
template <class T>
struct Product {
  T value = 1;
  double exponent = 0;
  void take(T factor) {
    value *= factor;
    const double size = std::abs(value);
    if (size == 0 || !std::isfinite(size)) return;
    const int e = std::ilogb(size);
    value *= std::ldexp(1.0, -e / 2) * std::ldexp(1.0, -(e - e / 2));
    exponent += e;
  }
};

template <class T>
Product<T> determinant_of(const Factored& f) {
  Product<T> out;
  const auto n = f.matrix.extent(0);
  for (std::size_t i = 0; i < f.pivots.size(); ++i) {
    const auto k = static_cast<Index>(i);
    out.take(f.matrix.template data<T>()[k * n + k]);
    if (f.pivots[i] != static_cast<lapack::Size>(i) + 1) out.value = -out.value;
  }
  return out;
}

}  // namespace

Array determinant(const Array& a) {
  const auto f = factored(a, "det", true);
  return visit_matrix(f.matrix, [&]<class T>(Tag<T>) {
    const auto p = determinant_of<T>(f);
    // In two parts, of which neither overflows where the whole does not.
    const int e = static_cast<int>(std::clamp(p.exponent, -5000.0, 5000.0));
    return Array::filled<T>({}, p.value * std::ldexp(1.0, e / 2) * std::ldexp(1.0, e - e / 2));
  });
}

LogDeterminant log_determinant(const Array& a) {
  const auto f = factored(a, "log_determinant", true);
  return visit_matrix(f.matrix, [&]<class T>(Tag<T>) -> LogDeterminant {
    const auto p = determinant_of<T>(f);
    const double size = std::abs(p.value);
    if (size == 0) return {-std::numeric_limits<double>::infinity(), Array::filled<T>({}, T(0))};
    return {std::log(size) + p.exponent * std::log(2.0), Array::filled<T>({}, p.value / size)};
  });
}

Inverse inverse(const Array& a) {
  auto f = factored(a, "inverse", true);
  if (f.singular) fail("the matrix is singular and has no inverse", "see rank(A) and null_basis(A)");
  const auto n = size_in_lapack(a.extent(0));
  Inverse out{f.matrix, 1};
  if (n == 0) return out;
  visit_matrix(f.matrix, [&]<class T>(Tag<T>) {
    const auto pivots = std::make_shared<std::vector<lapack::Size>>(f.pivots);
    const auto call = [n, data = out.matrix.mutable_data<T>(), p = pivots->data()] {
      return lapack::getri(n, data, p);
    };
    lapack::leavable(2 * lapack::cube(n, n), call, out.matrix, pivots);
  });
  out.reciprocal_condition = 1 / (norm(a, 1) * norm(out.matrix, 1));
  return out;
}

LeastSquares least_squares(const Array& a, const Array& b) {
  if (b.axes() < 1 || b.axes() > 2 || a.axes() != 2 || b.extent(0) != a.extent(0))
    fail(fmt::format("the right-hand side has shape {} and the matrix {}: their first sizes must be equal",
                     text_of(b.shape()), text_of(a.shape())));
  refuse_not_finite(b, "the right-hand side");
  auto work = checked(a, "least_squares", false);
  const bool is_complex = work.type() == ElementType::complex128 || b.type() == ElementType::complex128;
  const auto type = is_complex ? ElementType::complex128 : ElementType::float64;
  work = work.converted(type);
  const Index rows = a.extent(0), n = a.extent(1), columns = b.axes() == 2 ? b.extent(1) : 1;
  const Array given = b.converted(type).with_shape({rows, columns});
  // LAPACK puts the longer of both sides into one array.
  Array wide = given;
  if (is_tall(rows, n)) {
    const auto r = tall_qr_in_place(work);
    wide = matrix_product(adjoint(work), given);
    work = r;
  }
  const Index m = work.extent(0);
  LeastSquares out;
  visit_matrix(work, [&]<class T>(Tag<T>) {
    auto both = Array::filled<T>({std::max(m, n), columns}, T(0));
    const Subscript top[] = {{Subscript::Kind::run, 0, 1, m, {}}, everything(columns)};
    assign(both, top, wide);
    struct Found {
      std::vector<double> values;
      lapack::Size rank = 0;
    };
    const auto found = std::make_shared<Found>();
    found->values.resize(static_cast<std::size_t>(std::max<Index>(1, std::min(m, n))));
    const auto call = [m = size_in_lapack(m), n = size_in_lapack(n), k = size_in_lapack(columns),
                       matrix = work.mutable_data<T>(), right = both.template mutable_data<T>(),
                       to = found.get(), limit = static_cast<double>(std::max(rows, n)) * kRoundoff] {
      return lapack::gelsd(m, n, k, matrix, right, to->values.data(), limit, &to->rank);
    };
    if (m > 0 && n > 0 && columns > 0 &&
        lapack::leavable(4 * lapack::cube(size_in_lapack(m), size_in_lapack(n)), call, work, both, found) > 0)
      fail_to_converge("the least squares solution");
    out.rank = found->rank;
    out.x = rows_of(both, 0, n).copied();
  });
  const auto rest = apply(Unary::abs, apply(Binary::subtract, matrix_product(a, out.x), given));
  out.residual_norm = Array(ElementType::float64, {columns});
  for (Index k = 0; k < columns; ++k)
    out.residual_norm.mutable_data<double>()[k] = norm(columns_of(rest, k, 1));
  if (b.axes() == 1) {
    out.x = out.x.with_shape({n});
    out.residual_norm = out.residual_norm.with_shape({});
  }
  return out;
}

double norm(const Array& a, double order) {
  if (a.axes() > 2)
    fail(fmt::format("a norm of order {} requires a vector or a matrix, not an array of shape {}",
                     shortest(order), text_of(a.shape())));
  if (!(order >= 1))
    fail(fmt::format("the order of a norm must be a number from 1, or inf; not {}", shortest(order)));
  if (a.size() == 0) return 0;
  const auto size = apply(Unary::abs, a).converted(ElementType::float64);
  const auto largest = [](const Array& x) { return *reduce(Reduction::maximum, x).data<double>(); };
  if (a.axes() < 2) {
    if (order == 2) return norm(a);
    const double most = largest(size);
    if (std::isinf(order) || most == 0 || !std::isfinite(most)) return most;
    const auto powers = apply(Binary::power, apply(Binary::divide, size, most), order);
    return most * std::pow(*reduce(Reduction::sum, powers).data<double>(), 1 / order);
  }
  if (order == 1) return largest(reduce(Reduction::sum, size, {0, false}));
  if (std::isinf(order)) return largest(reduce(Reduction::sum, size, {1, false}));
  if (order == 2) return singular_parts(a, "norm", false, false).values.data<double>()[0];
  fail(fmt::format("a matrix norm must be of order 1, 2 or inf, not {}", shortest(order)));
}

Array kronecker(const Array& a, const Array& b) {
  if (a.axes() != 2 || b.axes() != 2)
    fail(fmt::format("kron requires two matrices, not arrays of shapes {} and {}", text_of(a.shape()),
                     text_of(b.shape())));
  const auto left = a.with_shape({a.extent(0), 1, a.extent(1), 1});
  const auto right = b.with_shape({1, b.extent(0), 1, b.extent(1)});
  return apply(Binary::multiply, left, right)
      .with_shape({a.extent(0) * b.extent(0), a.extent(1) * b.extent(1)});
}

void cross(std::span<const double> a, std::span<const double> b, double* result) {
  for (std::size_t k = 0; k < 3; ++k) {
    const auto next = (k + 1) % 3, after = (k + 2) % 3;
    result[k] = a[next] * b[after] - a[after] * b[next];
  }
}

Array cross(const Array& a, const Array& b) {
  if (a.axes() != 1 || b.axes() != 1 || a.size() != 3 || b.size() != 3)
    fail(fmt::format("cross requires two vectors of three elements, not arrays of shapes {} and {}",
                     text_of(a.shape()), text_of(b.shape())));
  const auto is_plain = [](const Array& v) { return v.type() == ElementType::float64 && !v.label; };
  if (is_plain(a) && is_plain(b)) {
    const auto x = a.to_vector<double>(), y = b.to_vector<double>();
    std::vector<double> out(3);
    cross(x, y, out.data());
    return Array::vector(out);
  }
  // (a2 b3 - a3 b2, a3 b1 - a1 b3, a1 b2 - a2 b1)
  const auto turned = [](const Array& v, Index by) { return rotated(v, -by, 0); };
  return apply(Binary::subtract, apply(Binary::multiply, turned(a, 1), turned(b, 2)),
               apply(Binary::multiply, turned(a, 2), turned(b, 1)));
}

Array vandermonde(const Array& t, Index columns) {
  if (t.axes() != 1)
    fail(fmt::format("vandermonde requires a vector, not an array of shape {}", text_of(t.shape())));
  std::vector<double> powers;
  for (Index k = columns; k-- > 0;) powers.push_back(static_cast<double>(k));
  const auto base = t.type() == ElementType::complex128 ? t : t.converted(ElementType::float64);
  return apply(Binary::power, down(base), across(Array::vector(powers)));
}

Array diagonal(const Array& a, Index offset) {
  const Index right = std::max<Index>(0, offset), down = std::max<Index>(0, -offset);
  if (a.axes() == 2) {
    const Index n = std::max<Index>(0, std::min(a.extent(0) - down, a.extent(1) - right));
    const Index first = n == 0 ? 0 : down * a.strides()[0] + right * a.strides()[1];
    return a.view(a.offset() + first, {n}, {a.strides()[0] + a.strides()[1]});
  }
  if (a.axes() != 1)
    fail(fmt::format("diagonal requires a matrix or a vector, not an array of shape {}", text_of(a.shape())));
  const auto out = visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    const Index n = a.size() + right + down;
    auto square = Array::filled<T>({n, n}, T(0));
    T* to = square.template mutable_data<T>() + down * n + right;
    for (Index k = 0; k < a.size(); ++k) to[k * (n + 1)] = a.data<T>()[k * a.strides()[0]];
    return square;
  });
  return out;
}

}  // namespace quill
