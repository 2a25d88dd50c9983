// The Gauss–Kronrod rule of 21 points, and the polynomial through its values.
#pragma once

#include <array>
#include <span>

namespace quill {

class GaussKronrod {
 public:
  static constexpr std::size_t kCount = 21;
  using Values = std::array<double, kCount>;

  static const GaussKronrod& rule();

  // From -1 to 1, increasing.
  const Values& nodes() const { return nodes_; }
  struct Sum {
    double value = 0;  // over [-1, 1]
    double error = 0;  // as in QUADPACK: from the difference to the Gauss rule of 10 points
    double size = 0;   // integral of the absolute values
  };
  Sum sum(const Values& y) const;
  // Polynomial of degree 20 through the values, at z in [-1, 1] (barycentric formula).
  double interpolated(const Values& y, double z) const;

 private:
  GaussKronrod();
  Values nodes_{}, weights_{}, gauss_weights_{}, barycentric_{};
};

}  // namespace quill
