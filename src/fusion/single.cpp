#include "fusion/single.h"

#include <array>

namespace quill::fusion {

Fused& single_operation(Unary op) {
  static std::array<std::unique_ptr<Fused>, static_cast<std::size_t>(Unary::is_inf) + 1> all;
  auto& fused = all[static_cast<std::size_t>(op)];
  if (!fused) {
    fused = std::make_unique<Fused>();
    fused->expression().add(op, fused->expression().add_input());
  }
  return *fused;
}

Fused& single_operation(Binary op) {
  static std::array<std::unique_ptr<Fused>, static_cast<std::size_t>(Binary::bessel_y) + 1> all;
  auto& fused = all[static_cast<std::size_t>(op)];
  if (!fused) {
    fused = std::make_unique<Fused>();
    const int left = fused->expression().add_input();
    fused->expression().add(op, left, fused->expression().add_input());
  }
  return *fused;
}

}  // namespace quill::fusion
