// Figures laid out with a font of known sizes, and what must be true of every layout.
#pragma once

#include <catch2/catch.hpp>
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

// Texts lie inside of the page and do not overlap.
inline void check_texts(const DisplayList& list) {
  const auto texts = all_of<DrawnText>(list);
  for (std::size_t i = 0; i < texts.size(); ++i) {
    const auto box = texts[i]->box();
    CAPTURE(texts[i]->source, texts[i]->role);
    CHECK((box.x >= 0 && box.y >= 0 && box.right() <= list.width && box.bottom() <= list.height));
    for (std::size_t k = i + 1; k < texts.size(); ++k) {
      CAPTURE(texts[k]->source, texts[k]->role);
      CHECK_FALSE(box.overlaps(texts[k]->box()));
    }
  }
}

}  // namespace quill::test
