// Mathematical text. Tested by mathtext_test.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <string_view>

#include "base/text.h"
#include "figure/text.h"

namespace quill {

namespace {

struct Symbol {
  std::string_view text;
  enum class Look { italic, upright, spaced } look;
};

const std::map<std::string_view, Symbol>& symbols() {
  using enum Symbol::Look;
  static const std::map<std::string_view, Symbol> table = {
      {"alpha", {"α", italic}},    {"beta", {"β", italic}},         {"gamma", {"γ", italic}},
      {"delta", {"δ", italic}},    {"epsilon", {"ϵ", italic}},      {"varepsilon", {"ε", italic}},
      {"zeta", {"ζ", italic}},     {"eta", {"η", italic}},          {"theta", {"θ", italic}},
      {"vartheta", {"ϑ", italic}}, {"iota", {"ι", italic}},         {"kappa", {"κ", italic}},
      {"lambda", {"λ", italic}},   {"mu", {"μ", italic}},           {"nu", {"ν", italic}},
      {"xi", {"ξ", italic}},       {"omicron", {"ο", italic}},      {"pi", {"π", italic}},
      {"rho", {"ρ", italic}},      {"sigma", {"σ", italic}},        {"varsigma", {"ς", italic}},
      {"tau", {"τ", italic}},      {"upsilon", {"υ", italic}},      {"phi", {"φ", italic}},
      {"varphi", {"φ", italic}},   {"chi", {"χ", italic}},          {"psi", {"ψ", italic}},
      {"omega", {"ω", italic}},    {"Gamma", {"Γ", upright}},       {"Delta", {"Δ", upright}},
      {"Theta", {"Θ", upright}},   {"Lambda", {"Λ", upright}},      {"Xi", {"Ξ", upright}},
      {"Pi", {"Π", upright}},      {"Sigma", {"Σ", upright}},       {"Upsilon", {"Υ", upright}},
      {"Phi", {"Φ", upright}},     {"Psi", {"Ψ", upright}},         {"Omega", {"Ω", upright}},
      {"times", {"×", spaced}},    {"cdot", {"·", spaced}},         {"pm", {"±", spaced}},
      {"mp", {"∓", spaced}},       {"div", {"÷", spaced}},          {"approx", {"≈", spaced}},
      {"sim", {"∼", spaced}},      {"simeq", {"≃", spaced}},        {"equiv", {"≡", spaced}},
      {"neq", {"≠", spaced}},      {"ne", {"≠", spaced}},           {"le", {"≤", spaced}},
      {"leq", {"≤", spaced}},      {"ge", {"≥", spaced}},           {"geq", {"≥", spaced}},
      {"ll", {"≪", spaced}},       {"gg", {"≫", spaced}},           {"propto", {"∝", spaced}},
      {"to", {"→", spaced}},       {"rightarrow", {"→", spaced}},   {"leftarrow", {"←", spaced}},
      {"in", {"∈", spaced}},       {"infty", {"∞", upright}},       {"partial", {"∂", upright}},
      {"nabla", {"∇", upright}},   {"sum", {"∑", upright}},         {"prod", {"∏", upright}},
      {"int", {"∫", upright}},     {"degree", {"°", upright}},      {"circ", {"∘", upright}},
      {"prime", {"′", upright}},   {"ell", {"ℓ", upright}},         {"hbar", {"ℏ", upright}},
      {"langle", {"⟨", upright}},  {"rangle", {"⟩", upright}},      {"ldots", {"…", upright}},
      {"dots", {"…", upright}},    {"cdots", {"⋯", upright}},       {"quad", {"\u2003", upright}},
      {"ang", {"∠", upright}},     {"sin", {"sin", upright}},       {"cos", {"cos", upright}},
      {"tan", {"tan", upright}},   {"exp", {"exp", upright}},       {"log", {"log", upright}},
      {"ln", {"ln", upright}},     {"max", {"max", upright}},       {"min", {"min", upright}},
      {"lim", {"lim", upright}},   {"arctan", {"arctan", upright}}, {"sinh", {"sinh", upright}},
      {"cosh", {"cosh", upright}}, {"tanh", {"tanh", upright}},
  };
  return table;
}

constexpr double kScriptSize = 0.7;
constexpr double kSmallestShare = 0.45;  // scripts of scripts do not get smaller

class Composer {
 public:
  Composer(const std::string& text, const Font& font, TextMeasurer& measurer)
      : text_(text), font_(font), measurer_(measurer) {}

  TextLine run() {
    const auto plain_extent = measurer_.measure("Ag", font_);
    try {
      compose();
    } catch (const std::string& message) {
      line_ = {};
      line_.error = fmt::format("{} at character {} of \"{}\"", message,
                                count_characters(std::string_view(text_).substr(0, at_)) + 1, text_);
      x_ = 0;
      put(text_, font_, 0);
    }
    line_.width = x_;
    line_.ascent = plain_extent.ascent;
    line_.descent = plain_extent.descent;
    for (const auto& run : line_.runs) {
      line_.ascent = std::max(line_.ascent, run.ascent + run.rise);
      line_.descent = std::max(line_.descent, run.descent - run.rise);
    }
    for (const auto& stroke : line_.strokes)
      for (const auto& [x, rise] : stroke.points) {
        line_.ascent = std::max(line_.ascent, rise + stroke.width);
        line_.descent = std::max(line_.descent, stroke.width - rise);
      }
    return std::move(line_);
  }

 private:
  void compose() {
    std::string plain;
    while (at_ < text_.size()) {
      const char c = text_[at_];
      if (c == '\\' && at_ + 1 < text_.size() && text_[at_ + 1] == '$') {
        plain += '$';
        at_ += 2;
      } else if (c == '$' && closing_dollar() != std::string::npos) {
        put(plain, font_, 0);
        plain.clear();
        ++at_;
        formula('$', font_, 0);
        ++at_;
      } else {
        plain += c;
        ++at_;
      }
    }
    put(plain, font_, 0);
  }

  std::size_t closing_dollar() const {
    for (auto i = at_ + 1; i < text_.size(); ++i) {
      if (text_[i] == '\\')
        ++i;
      else if (text_[i] == '$')
        return i;
    }
    return std::string::npos;
  }

  void put(const std::string& text, Font font, double rise) {
    if (text.empty()) return;
    const auto extent = measurer_.measure(text, font);
    line_.runs.push_back({text, font, x_, rise, extent.width, extent.ascent, extent.descent});
    x_ += extent.width;
  }

  // Up to the closing character, which is left standing.
  void formula(char closer, const Font& font, double rise) {
    while (true) {
      if (at_ >= text_.size()) throw std::string("this formula is not closed,");
      if (text_[at_] == closer) return;
      if (text_[at_] == '^' || text_[at_] == '_')
        scripts(font, rise);
      else
        atom(font, rise);
    }
  }

  // One or two scripts, at the same place when there are both.
  void scripts(const Font& font, double rise) {
    const double start = x_;
    double widest = x_;
    for (int k = 0; k < 2 && at_ < text_.size() && (text_[at_] == '^' || text_[at_] == '_'); ++k) {
      const bool up = text_[at_++] == '^';
      Font small = font;
      small.size = std::max(font.size * kScriptSize, font_.size * kSmallestShare);
      x_ = start + font.size * 0.04;
      const double shift = up ? rise + font.size * 0.36 : rise - font.size * 0.18;
      if (at_ >= text_.size() || text_[at_] == '$')
        throw std::string(up ? "nothing stands behind ^" : "nothing stands behind _");
      atom(small, shift);
      widest = std::max(widest, x_);
    }
    x_ = widest;
  }

  // A group in braces, a command, or one character.
  void atom(const Font& font, double rise) {
    const char c = text_[at_];
    if (c == '{') {
      ++at_;
      if (++depth_ > 20) throw std::string("the braces are nested too deeply");
      formula('}', font, rise);
      --depth_;
      ++at_;
      return;
    }
    if (c == '}') throw std::string("a } closes nothing");
    if (c == '\\') return command(font, rise);
    if (c == ' ') {
      ++at_;
      return;
    }
    const auto character = decode(text_, at_);
    std::string s = text_.substr(at_, character.length);
    at_ += character.length;
    if (s == "-") return spaced("−", font, rise);
    if (s == "+" || s == "=" || s == "<" || s == ">") return spaced(s, font, rise);
    Font f = font;
    f.italic = is_letter(character.code);
    put(s, f, rise);
  }

  // A binary sign or relation, with a little room where an operand stands before it.
  void spaced(std::string_view s, const Font& font, double rise) {
    const bool binary = !line_.runs.empty() && rise == 0;
    const double room = binary ? font.size * 0.16 : 0;
    x_ += room;
    put(std::string(s), font, rise);
    x_ += room;
  }

  void command(const Font& font, double rise) {
    const auto begin = at_;
    ++at_;
    if (at_ >= text_.size()) throw std::string("a command is missing");
    const char first = text_[at_];
    if (!((first | 32) >= 'a' && (first | 32) <= 'z')) {
      ++at_;
      if (first == ',')
        x_ += font.size * 0.17;
      else if (first == ';' || first == ' ')
        x_ += font.size * 0.28;
      else if (first == '{' || first == '}' || first == '%' || first == '$' || first == '#' || first == '&' ||
               first == '_')
        put(std::string(1, first), font, rise);
      else {
        at_ = begin;
        throw fmt::format("`\\{}` is not known", first);
      }
      return;
    }
    while (at_ < text_.size() && (text_[at_] | 32) >= 'a' && (text_[at_] | 32) <= 'z') ++at_;
    const auto name = std::string_view(text_).substr(begin + 1, at_ - begin - 1);
    if (name == "mathrm" || name == "text" || name == "mathbf")
      return upright(font, rise, name == "text", name == "mathbf");
    if (name == "frac") return fraction(font, rise);
    if (name == "sqrt") return root(font, rise);
    if (const auto mark = accent_named(name); !mark.empty()) return accent(font, rise, mark);
    const auto found = symbols().find(name);
    if (found == symbols().end()) {
      at_ = begin;
      throw fmt::format("`\\{}` is not known", name);
    }
    const auto& symbol = found->second;
    if (symbol.look == Symbol::Look::spaced) return spaced(symbol.text, font, rise);
    Font f = font;
    f.italic = symbol.look == Symbol::Look::italic;
    put(std::string(symbol.text), f, rise);
    // A function name keeps its distance from what it is applied to.
    if (symbol.text.size() > 2 && symbol.look == Symbol::Look::upright &&
        static_cast<unsigned char>(symbol.text[0]) < 0x80 && at_ < text_.size() && text_[at_] == ' ')
      x_ += font.size * 0.17;
  }

  void skip_spaces() {
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
  }

  // What a group added to the line: its pieces from these places on, and how far they reach.
  struct Group {
    std::size_t first_run, first_stroke;
    double start, width = 0, top = 0, bottom = 0;
  };
  Group group(const Font& font, double rise, const char* what) {
    Group g{line_.runs.size(), line_.strokes.size(), x_};
    skip_spaces();
    if (at_ >= text_.size() || text_[at_] != '{') throw fmt::format("`\\{}` takes braces,", what);
    atom(font, rise);
    g.width = x_ - g.start;
    // Figures and small letters leave the font's own height unused.
    constexpr double inked = 0.78, hanging = 0.85;
    g.top = rise + font.size * 0.5;
    g.bottom = rise;
    for (auto k = g.first_run; k < line_.runs.size(); ++k) {
      const auto& run = line_.runs[k];
      g.top = std::max(g.top, run.rise + inked * run.ascent);
      g.bottom = std::min(g.bottom, run.rise - hanging * run.descent);
    }
    for (auto k = g.first_stroke; k < line_.strokes.size(); ++k)
      for (const auto& [x, y] : line_.strokes[k].points) {
        g.top = std::max(g.top, y);
        g.bottom = std::min(g.bottom, y);
      }
    return g;
  }
  void move(const Group& g, std::size_t last_run, std::size_t last_stroke, double dx, double up) {
    for (auto k = g.first_run; k < last_run; ++k) {
      line_.runs[k].x += dx;
      line_.runs[k].rise += up;
    }
    for (auto k = g.first_stroke; k < last_stroke; ++k)
      for (auto& [x, y] : line_.strokes[k].points) {
        x += dx;
        y += up;
      }
  }

  void fraction(const Font& font, double rise) {
    Font small = font;
    small.size = std::max(font.size * 0.78, font_.size * kSmallestShare);
    const double bar = rise + font.size * 0.26, gap = font.size * 0.12, start = x_ + font.size * 0.08;
    x_ = start;
    const auto above = group(small, rise, "frac");
    const auto runs = line_.runs.size(), strokes = line_.strokes.size();
    x_ = start;
    const auto below = group(small, rise, "frac");
    const double width = std::max(above.width, below.width);
    move(above, runs, strokes, (width - above.width) / 2, bar + gap - above.bottom);
    move(below, line_.runs.size(), line_.strokes.size(), (width - below.width) / 2, bar - gap - below.top);
    line_.strokes.push_back({{{start, bar}, {start + width, bar}}, font.size * 0.055});
    x_ = start + width + font.size * 0.08;
  }

  void root(const Font& font, double rise) {
    const double start = x_, hook = font.size * 0.55;
    x_ = start + hook;
    const auto inside = group(font, rise, "sqrt");
    const double top = inside.top + font.size * 0.14, low = inside.bottom;
    line_.strokes.push_back({{{start + hook * 0.08, rise + font.size * 0.3},
                              {start + hook * 0.28, rise + font.size * 0.36},
                              {start + hook * 0.55, low},
                              {start + hook * 0.92, top},
                              {start + hook + inside.width, top}},
                             font.size * 0.06});
    x_ = start + hook + inside.width + font.size * 0.08;
  }

  // Accents are combining characters behind what they stand on.
  static std::string_view accent_named(std::string_view name) {
    static constexpr std::pair<std::string_view, std::string_view> marks[] = {
        {"hat", "\u0302"}, {"bar", "\u0304"},  {"vec", "\u20D7"},
        {"dot", "\u0307"}, {"ddot", "\u0308"}, {"tilde", "\u0303"}};
    for (const auto& [known, mark] : marks)
      if (known == name) return mark;
    return {};
  }
  void accent(const Font& font, double rise, std::string_view mark) {
    skip_spaces();
    if (at_ >= text_.size() || text_[at_] == '$') throw std::string("nothing stands under the accent");
    const auto before = line_.runs.size();
    const double start = x_;
    atom(font, rise);
    if (line_.runs.size() == before) throw std::string("nothing stands under the accent");
    auto& run = line_.runs[before];
    // Behind the first character.
    run.text.insert(decode(run.text, 0).length, mark);
    const auto extent = measurer_.measure(run.text, run.font);
    x_ = start + std::max(extent.width, x_ - start);
    run.width = extent.width;
  }

  void upright(Font font, double rise, bool keep_spaces, bool bold) {
    if (at_ >= text_.size() || text_[at_] != '{') throw std::string("braces are missing");
    const auto close = text_.find('}', at_);
    if (close == std::string::npos) throw std::string("these braces are not closed,");
    auto inside = text_.substr(at_ + 1, close - at_ - 1);
    if (!keep_spaces) std::erase(inside, ' ');
    font.italic = false;
    font.bold = font.bold || bold;
    put(inside, font, rise);
    at_ = close + 1;
  }

  const std::string& text_;
  Font font_;
  TextMeasurer& measurer_;
  std::size_t at_ = 0;
  double x_ = 0;
  int depth_ = 0;
  TextLine line_;
};

}  // namespace

TextLine lay_text(const std::string& text, const Font& font, TextMeasurer& measurer) {
  return Composer(text, font, measurer).run();
}

}  // namespace quill
