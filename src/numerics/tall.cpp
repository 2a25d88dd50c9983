#include "numerics/tall.h"

#include <algorithm>
#include <vector>

#include "array/rearrange.h"
#include "base/error.h"
#include "base/parallel.h"
#include "numerics/lapack.h"

namespace quill {

namespace {

// Rows of a block: some 500 kB, and enough for the columns.
Index rows_of_block(Index columns) { return std::max<Index>(4 * columns, (Index{1} << 16) / columns); }

template <class T>
struct Blocks;
template <>
struct Blocks<double> {
  static constexpr auto geqrf = LAPACKE_dgeqrf_work;
  static constexpr auto orgqr = LAPACKE_dorgqr_work;
  static void multiply(lapack::Size m, lapack::Size n, const double* a, lapack::Size lead, const double* b,
                       double* c) {
    cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, m, n, n, 1.0, a, lead, b, n, 0.0, c, lead);
  }
};
template <>
struct Blocks<Complex> {
  static constexpr auto geqrf = LAPACKE_zgeqrf_work;
  static constexpr auto orgqr = LAPACKE_zungqr_work;
  static void multiply(lapack::Size m, lapack::Size n, const Complex* a, lapack::Size lead, const Complex* b,
                       Complex* c) {
    const Complex one = 1, zero = 0;
    cblas_zgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, m, n, n, &one, a, lead, b, n, &zero, c, lead);
  }
};

// Factors the row-major matrix `rows` × `columns` at `a`; Q is stored at `q`, which may equal `a` or be null.
template <class T>
class TallFactors {
 public:
  TallFactors(const T* a, T* q, Index rows, Index columns)
      : a_(a),
        q_(q),
        rows_(rows),
        columns_(columns),
        block_(rows_of_block(columns)),
        blocks_(std::max<Index>(1, rows / block_)) {}

  // Puts R, row by row, to `r`.
  void run(T* r) {
    const Index square = columns_ * columns_;
    std::vector<T> triangles(static_cast<std::size_t>(blocks_ * square));
    in_parallel(blocks_, [&](Index k) { factor(k, &triangles[static_cast<std::size_t>(k * square)]); });
    if (blocks_ == 1) {
      std::copy(triangles.begin(), triangles.end(), r);
      return;
    }
    // The triangles, one below the other, are a matrix of the same kind, and their Q turns those of the
    // blocks.
    TallFactors(triangles.data(), q_ ? triangles.data() : nullptr, blocks_ * columns_, columns_).run(r);
    if (q_) in_parallel(blocks_, [&](Index k) { turn(k, &triangles[static_cast<std::size_t>(k * square)]); });
  }

 private:
  Index first(Index k) const { return k * block_; }
  // The last block contains the remaining rows.
  Index count(Index k) const { return (k + 1 == blocks_ ? rows_ : first(k + 1)) - first(k); }

  void load(const T* matrix, Index k, std::vector<T>& columns) const {
    const Index m = count(k);
    columns.resize(static_cast<std::size_t>(m * columns_));
    const T* from = matrix + first(k) * columns_;
    for (Index i = 0; i < m; ++i)
      for (Index c = 0; c < columns_; ++c)
        columns[static_cast<std::size_t>(c * m + i)] = from[i * columns_ + c];
  }
  void store(Index k, const std::vector<T>& columns) {
    const Index m = count(k);
    T* to = q_ + first(k) * columns_;
    for (Index i = 0; i < m; ++i)
      for (Index c = 0; c < columns_; ++c)
        to[i * columns_ + c] = columns[static_cast<std::size_t>(c * m + i)];
  }

  // Factors one block into a triangle, and overwrites it with Q.
  void factor(Index k, T* triangle) {
    std::vector<T> block;
    load(a_, k, block);
    const auto m = static_cast<lapack::Size>(count(k)), n = static_cast<lapack::Size>(columns_);
    std::vector<T> scales(static_cast<std::size_t>(n)), work(static_cast<std::size_t>(64 * n));
    const auto room = static_cast<lapack::Size>(work.size());
    Blocks<T>::geqrf(LAPACK_COL_MAJOR, m, n, block.data(), m, scales.data(), work.data(), room);
    for (Index i = 0; i < columns_; ++i)
      for (Index c = 0; c < columns_; ++c)
        triangle[i * columns_ + c] = c < i ? T(0) : block[static_cast<std::size_t>(c * m + i)];
    if (!q_) return;
    Blocks<T>::orgqr(LAPACK_COL_MAJOR, m, n, n, block.data(), m, scales.data(), work.data(), room);
    store(k, block);
  }

  // The Q of a block times the part of the triangles' Q that belongs to it.
  void turn(Index k, const T* part) {
    std::vector<T> block, out, columns(static_cast<std::size_t>(columns_ * columns_));
    load(q_, k, block);
    out.resize(block.size());
    for (Index i = 0; i < columns_; ++i)
      for (Index c = 0; c < columns_; ++c)
        columns[static_cast<std::size_t>(c * columns_ + i)] = part[i * columns_ + c];
    const auto m = static_cast<lapack::Size>(count(k)), n = static_cast<lapack::Size>(columns_);
    Blocks<T>::multiply(m, n, block.data(), m, columns.data(), out.data());
    store(k, out);
  }

  const T* a_;
  T* q_;
  Index rows_, columns_, block_, blocks_;
};

}  // namespace

bool is_tall(Index rows, Index columns) {
  constexpr Index many = 2000;
  return columns > 0 && rows >= many && rows >= 16 * columns;
}

Array tall_qr_in_place(Array& a) {
  Array r(a.type(), {a.extent(1), a.extent(1)});
  const auto run = [&]<class T>(Tag<T>) {
    T* data = a.mutable_data<T>();
    TallFactors<T>(data, data, a.extent(0), a.extent(1)).run(r.mutable_data<T>());
  };
  a.type() == ElementType::complex128 ? run(Tag<Complex>{}) : run(Tag<double>{});
  return r;
}

Array tall_triangle(const Array& a) {
  const auto rows = a.compact();
  Array r(a.type(), {a.extent(1), a.extent(1)});
  const auto run = [&]<class T>(Tag<T>) {
    TallFactors<T>(rows.data<T>(), nullptr, a.extent(0), a.extent(1)).run(r.mutable_data<T>());
  };
  a.type() == ElementType::complex128 ? run(Tag<Complex>{}) : run(Tag<double>{});
  return r;
}

}  // namespace quill
