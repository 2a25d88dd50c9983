// Figures laid out with a font of known sizes, and what must be true of every layout.
#pragma once

#include <catch2/catch.hpp>
#include <cmath>
#include <vector>

#include "base/text.h"
#include "figure/layout.h"

namespace quill::test {

// Every character is half as wide as the font is high; its ink reaches from the baseline to 0.7 of it.
class BlockFont : public TextMeasurer {
 public:
  TextExtent measure(const std::string& text, const Font& font) override {
    return {0.5 * font.size * static_cast<double>(count_characters(text)), 0.9 * font.size, 0.25 * font.size,
            0.7 * font.size, 0};
  }
};

inline Layer line_of(std::vector<double> x, std::vector<double> y, const std::string& label = "") {
  Layer l;
  l.x = std::move(x);
  l.y = std::move(y);
  l.label = label;
  return l;
}

inline DisplayList laid(const Figure& figure) {
  BlockFont font;
  return lay_out(figure, font);
}

inline DisplayList laid(const Panel& panel) {
  Figure f;
  f.name = "f";
  f.panels = {panel};
  return laid(f);
}

inline DisplayList laid(const Layer& layer) {
  Panel p;
  p.layers = {layer};
  return laid(p);
}

// The list has to live as long as they are looked at.
template <class T>
std::vector<const T*> all_of(DisplayList&& list) = delete;
template <class T>
std::vector<const T*> all_of(const DisplayList& list) {
  std::vector<const T*> out;
  for (const auto& item : list.items)
    if (const auto* found = std::get_if<T>(&item)) out.push_back(found);
  return out;
}

// Whether texts of which one is neither level nor upright stand apart, though their upright boxes may meet.
inline bool slant_apart(const DrawnText& a, const DrawnText& b) {
  const auto is_slanted = [](const DrawnText& t) { return std::fabs(std::sin(2 * t.angle)) > 1e-6; };
  if (is_slanted(b) && !is_slanted(a)) return slant_apart(b, a);
  if (!is_slanted(a)) return false;
  if (a.angle == b.angle) {  // across their direction
    const double apart = (b.at.x - a.at.x) * std::sin(a.angle) + (b.at.y - a.at.y) * std::cos(a.angle);
    return std::fabs(apart) >= 0.9 * a.line.height();
  }
  const auto box = b.box();
  for (int along = 0; along <= 40; ++along)
    for (const double up : {0.0, 0.35, 0.7}) {
      const double s = a.line.width * along / 40, u = up * a.line.ascent;
      const double x = a.at.x + s * std::cos(a.angle) - u * std::sin(a.angle),
                   y = a.at.y - s * std::sin(a.angle) - u * std::cos(a.angle);
      if (x > box.x && x < box.right() && y > box.y && y < box.bottom()) return false;
    }
  return true;
}

// Texts lie inside of the page and do not overlap.
inline void check_texts(const DisplayList& list) {
  const auto texts = all_of<DrawnText>(list);
  for (std::size_t i = 0; i < texts.size(); ++i) {
    auto box = texts[i]->box();
    // Lines that touch do not overlap.
    constexpr double slack = 1e-6;
    box = {box.x + slack, box.y + slack, box.width - 2 * slack, box.height - 2 * slack};
    CAPTURE(texts[i]->source, texts[i]->role);
    CHECK((box.x >= 0 && box.y >= 0 && box.right() <= list.width && box.bottom() <= list.height));
    for (std::size_t k = i + 1; k < texts.size(); ++k) {
      CAPTURE(texts[k]->source, texts[k]->role);
      CHECK((!box.overlaps(texts[k]->box()) || slant_apart(*texts[i], *texts[k])));
    }
  }
}

}  // namespace quill::test
