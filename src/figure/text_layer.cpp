#include "figure/text_layer.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"

namespace quill {

void TextLayer::warn(const std::string& message) {
  if (std::find(warnings_.begin(), warnings_.end(), message) == warnings_.end()) warnings_.push_back(message);
}

TextLine TextLayer::line(const std::string& text, const Font& font) {
  auto out = lay_text(text, font, measurer_);
  if (!out.error.empty()) warn(out.error);
  int unknown = 0;
  for (const auto& run : out.runs) unknown += measurer_.measure(run.text, run.font).unknown;
  if (unknown > 0)
    warn(fmt::format("no installed font contains {} of the text \"{}\"",
                     unknown == 1 ? "one character" : fmt::format("{} characters", unknown),
                     printable(out.plain())));
  return out;
}

// Count of bytes that fit the width. Texts with formulas are cut only at spaces outside formulas.
std::size_t TextLayer::fitting(const std::string& text, const Font& font, double width) {
  if (lay_text(text, font, measurer_).width <= width) return text.size();
  if (text.find('$') != std::string::npos) {
    std::size_t found = text.size();
    bool formula = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
      if (text[i] == '$' && (i == 0 || text[i - 1] != '\\')) formula = !formula;
      if (formula || text[i] != ' ' || i == 0) continue;
      if (found != text.size() && lay_text(text.substr(0, i), font, measurer_).width > width) break;
      found = i;
    }
    return found;
  }
  std::size_t low = 0, high = text.size();
  while (low < high) {
    const auto middle = start_of_character(text, (low + high + 1) / 2);
    if (middle <= low) break;
    if (lay_text(text.substr(0, middle), font, measurer_).width <= width)
      low = middle;
    else
      high = middle - 1;
  }
  return low;
}

TextLine TextLayer::shortened_line(const std::string& text, const Font& font, double width) {
  return line(shortened(text, font, width), font);
}

std::string TextLayer::shortened(const std::string& text, const Font& font, double width) {
  if (fitting(text, font, width) == text.size()) return text;
  const double dots = lay_text("…", font, measurer_).width;
  return text.substr(0, fitting(text, font, width - dots)) + "…";
}

// Broken at spaces outside of formulas into lines no wider than `width`; longer words are broken too.
std::vector<TextLine> TextLayer::paragraph(const std::string& text, const Font& font, double width) {
  std::vector<TextLine> lines;
  if (text.empty()) return lines;
  std::vector<std::string> words(1);
  bool formula = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '$' && (i == 0 || text[i - 1] != '\\')) formula = !formula;
    if (text[i] == '\n' || (text[i] == ' ' && !formula))
      words.emplace_back();
    else
      words.back() += text[i];
  }
  std::string row;
  for (const auto& word : words) {
    const auto longer = row.empty() ? word : row + " " + word;
    if (!row.empty() && lay_text(longer, font, measurer_).width > width) {
      lines.push_back(line(row, font));
      row = word;
    } else
      row = longer;
    for (auto end = fitting(row, font, width); end > 0 && end < row.size(); end = fitting(row, font, width)) {
      lines.push_back(line(row.substr(0, end), font));
      row = row.substr(end);
    }
  }
  lines.push_back(line(row, font));
  return lines;
}

}  // namespace quill
