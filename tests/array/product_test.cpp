// Matrix products in every layout, and the same bits for every number of threads.
#include <catch2/catch.hpp>

#include "array/rearrange.h"
#include "base/parallel.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

Array shaped(Random& random, Index rows, Index columns, int layout) {
  if (layout == 0) return random_array(random, {rows, columns}).copied();
  if (layout == 1) return random_array(random, {columns, rows}).copied().transposed();
  return random_array(random, {rows, columns});  // whatever strides come
}

}  // namespace

TEST_CASE("products agree with sums over rows and columns in all layouts") {
  Random random(91);
  for (const Index rows : {1, 2, 7, 200})
    for (const Index inner : {1, 3, 40})
      for (const Index columns : {1, 5, 31})
        for (int layout = 0; layout < 9; ++layout) {
          const auto a = shaped(random, rows, inner, layout % 3),
                     b = shaped(random, inner, columns, layout / 3);
          const auto got = plain(matrix_product(a, b)), x = plain(a), y = plain(b);
          double worst = 0;
          for (Index i = 0; i < rows; ++i)
            for (Index k = 0; k < columns; ++k) {
              double sum = 0;
              for (Index j = 0; j < inner; ++j) sum += x.values[i * inner + j] * y.values[j * columns + k];
              worst = std::max(worst, std::fabs(sum - got.values[i * columns + k]));
            }
          CHECK(worst < 1e-9);
        }
}

TEST_CASE("threads: products have the same bits for every number of threads") {
  Random random(92);
  const auto a = random_array(random, {700, 300}), b = random_array(random, {300, 150});
  const int before = thread_count();
  std::vector<std::vector<double>> results;
  for (const int threads : {1, 2, 3, 7}) {
    set_thread_count(threads);
    results.push_back(matrix_product(a, b).to_vector<double>());
  }
  set_thread_count(before);
  for (const auto& r : results) CHECK(r == results[0]);
}

TEST_CASE("a matrix with its own transpose makes a symmetric product") {
  Random random(93);
  const auto x = random_array(random, {50, 20}).copied();
  for (const auto& product : {matrix_product(x.transposed(), x), matrix_product(x, x.transposed())}) {
    const auto p = plain(product);
    const auto n = p.shape[0];
    for (Index r = 0; r < n; ++r)
      for (Index c = 0; c < r; ++c) CHECK(p.values[r * n + c] == p.values[c * n + r]);
  }
}
