#include "figure/math_box.h"

#include <algorithm>

namespace quill {

void MathBox::shift(double dx, double up) {
  for (auto& run : runs) {
    run.x += dx;
    run.rise += up;
  }
  for (auto& stroke : strokes)
    for (auto& [x, rise] : stroke.points) {
      x += dx;
      rise += up;
    }
  width += dx;
  top += up;
  bottom -= up;
}

void MathBox::overlay(MathBox other) {
  const bool first = runs.empty() && strokes.empty();
  if (!other.runs.empty() || !other.strokes.empty()) {
    top = first ? other.top : std::max(top, other.top);
    bottom = first ? other.bottom : std::max(bottom, other.bottom);
  }
  width = std::max(width, other.width);
  std::move(other.runs.begin(), other.runs.end(), std::back_inserter(runs));
  std::move(other.strokes.begin(), other.strokes.end(), std::back_inserter(strokes));
}

void MathBox::append(MathBox other, double gap) {
  const bool first = runs.empty() && strokes.empty();
  if (first) lead = other.lead;
  const double next_lean = other.lean;
  other.shift(width + lean + gap, 0);
  overlay(std::move(other));
  lean = next_lean;
}

MathBox text_box(const std::string& text, const Font& font, TextMeasurer& measurer) {
  MathBox box;
  const auto extent = measurer.measure(text, font);
  box.runs.push_back({text, font, 0, 0, extent.width});
  box.width = extent.width;
  box.top = extent.ink_ascent;
  box.bottom = extent.ink_descent;
  if (font.family == Font::Family::math) {
    box.lead = std::max(0.0, -extent.ink_left);
    box.lean = std::max(0.0, extent.ink_right - extent.width);
  }
  return box;
}

MathBox with_scripts(MathBox base, std::optional<MathBox> above, std::optional<MathBox> below, double size) {
  const double start = base.width, lean = base.lean;
  base.lean = 0;
  double up = std::max(0.38 * size, base.top - 0.30 * size),
         down = std::max(0.17 * size, base.bottom - 0.1 * size);
  if (above) up = std::max(up, above->bottom + 0.12 * size);
  if (above && below) {
    const double gap = (up - above->bottom) - (below->top - down);
    down += std::max(0.0, 0.14 * size - gap);
  }
  if (above) {
    above->shift(start + lean + 0.04 * size, up);
    base.overlay(std::move(*above));
  }
  if (below) {
    below->shift(start + 0.01 * size, -down);
    base.overlay(std::move(*below));
  }
  return base;
}

MathBox fraction_of(MathBox above, MathBox below, double size) {
  const double bar = kMathAxis * size, gap = 0.13 * size, side = 0.08 * size;
  const double inside = std::max(above.width, below.width), over = 0.04 * size;
  above.shift(side + over + (inside - above.width) / 2, bar + gap + above.bottom);
  below.shift(side + over + (inside - below.width) / 2, bar - gap - below.top);
  MathBox out;
  out.overlay(std::move(above));
  out.overlay(std::move(below));
  out.strokes.push_back({{{side, bar}, {side + inside + 2 * over, bar}}, 0.05 * size});
  out.width = 2 * side + inside + 2 * over;
  return out;
}

MathBox root_of(MathBox inside, const MathBox& degree, double size) {
  const double thin = 0.05 * size, low = std::max(0.02 * size, inside.bottom) + 0.02 * size;
  const double top = std::max(inside.top, 0.45 * size) + 0.13 * size;
  // The sign leans more where it is taller.
  const double tail = 0.2 * size, rise = 0.17 * size + 0.12 * (top + low);
  MathBox out = degree;
  const double start = std::max(0.04 * size, degree.width - 0.1 * size);
  if (degree.width > 0) out.shift(0, 0.42 * (top - low) - std::min(0.0, degree.bottom));
  const double hook = start, corner = hook + tail, peak = corner + rise;
  inside.shift(peak + 0.06 * size, 0);
  const double end = inside.width + 0.05 * size, elbow = 0.38 * (top + low) - low;
  out.overlay(std::move(inside));
  out.strokes.push_back({{{hook, elbow - 0.05 * size}, {hook + 0.08 * size, elbow}}, thin});
  out.strokes.push_back({{{hook + 0.08 * size, elbow}, {corner, -low}}, 0.1 * size});
  out.strokes.push_back({{{corner, -low}, {peak, top}, {end, top}}, thin});
  out.width = end + 0.05 * size;
  out.top = std::max(out.top, top + thin);
  out.bottom = std::max(out.bottom, low + thin);
  return out;
}

MathBox with_line(MathBox inside, bool over, double size) {
  const double y = over ? std::max(inside.top, 0.45 * size) + 0.13 * size : -inside.bottom - 0.13 * size;
  inside.strokes.push_back({{{0.03 * size, y}, {inside.width + 0.02 * size, y}}, 0.05 * size});
  if (over)
    inside.top = y + 0.05 * size;
  else
    inside.bottom = -y + 0.05 * size;
  return inside;
}

MathBox with_accent(MathBox inside, const MathBox& mark, double size) {
  // Accents follow the slant of italic letters.
  const double lean = 0.05 * size, level = std::max(inside.top, 0.42 * size) + 0.06 * size;
  const double middle = inside.width / 2 + lean;
  if (mark.runs.empty()) {
    const double half = std::max(0.2 * size, 0.4 * inside.width), y = level + 0.06 * size, head = 0.09 * size;
    inside.strokes.push_back({{{middle - half, y}, {middle + half, y}}, 0.045 * size});
    inside.strokes.push_back(
        {{{middle + half - head, y + head}, {middle + half, y}, {middle + half - head, y - head}},
         0.045 * size});
    inside.top = y + head;
    return inside;
  }
  auto over = mark;
  const double width = inside.width;
  over.shift(middle - mark.width / 2, level + mark.bottom);
  inside.overlay(std::move(over));
  inside.width = width;
  return inside;
}

MathBox on_axis(MathBox box, double size) {
  const double up = kMathAxis * size - (box.top - box.bottom) / 2;
  const double width = box.width;
  box.shift(0, up);
  box.width = width;
  return box;
}

}  // namespace quill
