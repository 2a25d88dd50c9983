// Products of matrices and vectors.
#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "array/blas.h"
#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/parallel.h"

namespace quill {

namespace {

// A matrix as BLAS takes it: its elements row by row, or those of its transpose.
template <class T>
struct Factor {
  Array held;
  Index rows, columns;
  bool is_turned = false;
  Index lead = 1;  // from one row to the next
  const T* elements = nullptr;
  Factor(const Array& a, bool is_left) {
    const bool vector = a.axes() == 1;
    rows = !vector ? a.extent(0) : is_left ? 1 : a.size();
    columns = !vector ? a.extent(1) : is_left ? a.size() : 1;
    is_turned = !vector && rows > 1 && columns > 1 && a.strides()[0] == 1 && a.strides()[1] >= rows;
    held = is_turned ? a : a.compact();
    lead = std::max<Index>(1, is_turned ? a.strides()[1] : columns);
    elements = held.data<T>();
  }
  const T* data() const { return elements; }
  const T* row(Index k) const { return data() + k * (is_turned ? 1 : lead); }
  CBLAS_TRANSPOSE turn() const { return is_turned ? CblasTrans : CblasNoTrans; }
};

// Some rows of the product.
template <class T>
void multiply_rows(const Factor<T>& a, const Factor<T>& b, Index first, Index count, T* to) {
  const auto m = static_cast<int>(count), n = static_cast<int>(b.columns), k = static_cast<int>(a.columns);
  const auto lead_a = static_cast<int>(a.lead), lead_b = static_cast<int>(b.lead);
  to += first * b.columns;
  if constexpr (std::is_same_v<T, double>) {
    cblas_dgemm(CblasRowMajor, a.turn(), b.turn(), m, n, k, 1.0, a.row(first), lead_a, b.data(), lead_b, 0.0,
                to, n);
  } else {
    const Complex one = 1, zero = 0;
    cblas_zgemm(CblasRowMajor, a.turn(), b.turn(), m, n, k, &one, a.row(first), lead_a, b.data(), lead_b,
                &zero, to, n);
  }
}

template <class T>
Array product_of(const Array& left, const Array& right) {
  const Factor<T> a(left, true), b(right, false);
  Shape shape;
  if (left.axes() == 2) shape.push_back(a.rows);
  if (right.axes() == 2) shape.push_back(b.columns);
  if (a.rows == 0 || b.columns == 0 || a.columns == 0) return Array::filled<T>(shape, T{});
  for (const Index extent : {a.columns, b.columns, a.lead, b.lead})
    if (extent > std::numeric_limits<int>::max())
      fail(fmt::format("a product of {} and {} is too large for the linear algebra library",
                       text_of(left.shape()), text_of(right.shape())));
  Array out(type_of<T>, shape);
  T* to = out.template mutable_data<T>();
  // Panels of fixed size, so that the result does not depend on the number of threads.
  constexpr Index panel = 192;
  in_parallel((a.rows + panel - 1) / panel,
              [&](Index k) { multiply_rows(a, b, k * panel, std::min(panel, a.rows - k * panel), to); });
  // X' *+ X is symmetric to the last bit.
  const bool mirrored = left.axes() == 2 && right.axes() == 2 && left.buffer() == right.buffer() &&
                        left.offset() == right.offset() && left.strides()[0] == right.strides()[1] &&
                        left.strides()[1] == right.strides()[0];
  for (Index r = 0; mirrored && r < a.rows; ++r)
    for (Index c = 0; c < r; ++c) to[r * a.rows + c] = to[c * a.rows + r];
  return out;
}

double largest_of(const Array& integers) {
  const auto a = integers.compact();
  double out = 0;
  for (Index k = 0; k < a.size(); ++k)
    out = std::max(out, std::fabs(static_cast<double>(a.data<std::int64_t>()[k])));
  return out;
}

// Where no sum of products can leave int64.
Array small_integer_product(const Array& a, const Array& b) {
  const Index rows = a.extent(0), inner = a.extent(1), columns = b.extent(1);
  auto out = Array::filled<std::int64_t>({rows, columns}, 0);
  const auto x = a.compact(), y = b.compact();
  const auto *const from = x.data<std::int64_t>(), *const other = y.data<std::int64_t>();
  auto* const to = out.mutable_data<std::int64_t>();
  in_parallel(rows, [=](Index i) {
    for (Index j = 0; j < inner; ++j) {
      const auto factor = from[i * inner + j];
      for (Index k = 0; k < columns; ++k) to[i * columns + k] += factor * other[j * columns + k];
    }
  });
  return out;
}

// Every sum of products has to fit the type, int64.
Array integer_product(const Array& left, const Array& right, ElementType type) {
  auto a = left.converted(type), b = right.converted(type);
  // In float64 as long as all sums are exact there.
  const double most = largest_of(a) * largest_of(b) * static_cast<double>(std::max<Index>(1, b.extent(0)));
  if (most < kLargestExact)
    return product_of<double>(a.converted(ElementType::float64), b.converted(ElementType::float64))
        .converted(type);
  const bool row = a.axes() == 1, column = b.axes() == 1;
  if (row) a = a.with_shape({1, a.size()});
  if (column) b = b.with_shape({b.size(), 1});
  const Index rows = a.extent(0), columns = b.extent(1);
  const bool cannot_overflow = most < 0x1p62;
  Array out = cannot_overflow ? small_integer_product(a, b) : Array(type, {rows, columns});
  for (Index i = 0; i < rows && !cannot_overflow; ++i)
    for (Index k = 0; k < columns; ++k) {
      const Subscript r[] = {{Subscript::Kind::position, i, 1, 1, {}}, everything(a.extent(1))};
      const Subscript c[] = {everything(b.extent(0)), {Subscript::Kind::position, k, 1, 1, {}}};
      const Subscript place[] = {{Subscript::Kind::position, i, 1, 1, {}},
                                 {Subscript::Kind::position, k, 1, 1, {}}};
      assign(out, place, reduce(Reduction::sum, apply(Binary::multiply, select(a, r), select(b, c))));
    }
  Shape shape;
  if (!row) shape.push_back(rows);
  if (!column) shape.push_back(columns);
  return out.with_shape(shape);
}

}  // namespace

Array matrix_product(const Array& a, const Array& b) {
  if (!is_numeric(a.type()) || !is_numeric(b.type()))
    fail(fmt::format("*+ takes numbers, not {}", name_of(is_numeric(a.type()) ? b.type() : a.type())));
  if (a.axes() == 0 || b.axes() == 0)
    fail("*+ multiplies vectors and matrices, and one operand is a single number",
         "use * to multiply by a number");
  if (a.axes() > 2 || b.axes() > 2)
    fail(fmt::format("*+ takes vectors and matrices, not {} *+ {}", text_of(a.shape()), text_of(b.shape())));
  if (a.shape().back() != b.extent(0)) throw ShapeMismatch(a.shape(), b.shape(), " *+ ");
  if (std::max({a.size(), b.size(), Index{1}}) > (Index{1} << 31) * 2)
    fail("the matrices are too large for one product");
  if (a.type() == ElementType::complex128 || b.type() == ElementType::complex128)
    return product_of<Complex>(a.converted(ElementType::complex128), b.converted(ElementType::complex128));
  if (const auto type = sum_type(common_type(a.type(), b.type())); is_integer(type))
    return integer_product(a, b, type);
  const auto x = a.converted(ElementType::float64), y = b.converted(ElementType::float64);
  if (x.axes() == 1 && y.axes() == 1) return reduce(Reduction::sum, apply(Binary::multiply, x, y));
  const auto out = product_of<double>(x, y);
  const bool single = a.type() == ElementType::float32 && b.type() == ElementType::float32;
  return single ? out.converted(ElementType::float32) : out;
}

}  // namespace quill
