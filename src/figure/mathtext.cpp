// Mathematical text.
#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <string_view>

#include "base/text.h"
#include "figure/math_box.h"
#include "figure/math_symbols.h"
#include "figure/text.h"

namespace quill {

namespace {

constexpr double kScriptSize = 0.72, kFractionSize = 0.8;
constexpr double kSmallestShare = 0.45;  // scripts of scripts do not get smaller
constexpr double kLargeOperator = 1.2;
constexpr double kMathScale = 1.1;  // its letters are lower than those of the text beside it
constexpr int kDeepest = 20;

struct Style {
  double size = 8;
  bool is_script = false;
  bool bold = false;
  bool as_text = false;  // a formula of figures alone keeps the look of the text
  std::optional<Alphabet> alphabet;
  Style smaller(double factor, double least) const {
    auto out = *this;
    out.size = std::max(size * factor, least);
    return out;
  }
};

struct Atom {
  MathBox box;
  AtomClass kind = AtomClass::ordinary;
  double space = 0;  // explicit space after it
};

// An error in a formula, at the current position.
struct MathError {
  std::string message;
};

// The room between two atoms in eighteenths of the size (The TeXbook, chapter 18).
int room_between(AtomClass left, AtomClass right, bool is_script) {
  using enum AtomClass;
  const bool thin = (left == large && (right == ordinary || right == large)) ||
                    ((left == ordinary || left == close) && right == large);
  if (thin) return 3;
  if (is_script) return 0;
  if (left == punctuation) return 3;
  if ((left == relation && right != relation && right != close && right != punctuation) ||
      (right == relation && left != relation && left != open))
    return 5;
  if ((left == binary && (right == ordinary || right == large || right == open)) ||
      (right == binary && (left == ordinary || left == close)))
    return 4;
  return 0;
}

class FormulaReader {
 public:
  FormulaReader(const std::string& text, std::size_t& at, double full_size, TextMeasurer& measurer)
      : text_(text), at_(at), least_(full_size * kSmallestShare), measurer_(measurer) {}

  static constexpr char kRight = 0;  // closed by \right
  // Up to the closing character, which is left standing.
  MathBox row(char closer, const Style& style) {
    if (++depth_ > kDeepest) throw MathError{"braces are nested too deeply"};
    std::vector<Atom> atoms;
    while (true) {
      if (at_ >= text_.size()) throw MathError{"unclosed formula"};
      if (closer == kRight ? at_right() : text_[at_] == closer) break;
      if (space(style, atoms)) continue;
      atoms.push_back(scripted(style));
    }
    --depth_;
    return joined(std::move(atoms), style);
  }

 private:
  bool at_right() const { return text_.compare(at_, 6, "\\right") == 0 && !letter_at(at_ + 6); }
  bool letter_at(std::size_t i) const {
    return i < text_.size() && (text_[i] | 32) >= 'a' && (text_[i] | 32) <= 'z';
  }

  static MathBox joined(std::vector<Atom> atoms, const Style& style) {
    using enum AtomClass;
    // An operator without operands on both sides is a sign.
    for (std::size_t k = 0; k < atoms.size(); ++k) {
      if (atoms[k].kind != binary) continue;
      const bool starts = k == 0 || (atoms[k - 1].kind != ordinary && atoms[k - 1].kind != close);
      const bool ends = k + 1 == atoms.size() || atoms[k + 1].kind == relation ||
                        atoms[k + 1].kind == close || atoms[k + 1].kind == punctuation;
      if (starts || ends) atoms[k].kind = ordinary;
    }
    MathBox out;
    for (std::size_t k = 0; k < atoms.size(); ++k) {
      double room =
          k == 0 ? 0 : room_between(atoms[k - 1].kind, atoms[k].kind, style.is_script) / 18.0 * style.size;
      if (k > 0 && atoms[k - 1].kind == open) room += atoms[k].box.lead;
      out.append(std::move(atoms[k].box), room);
      out.width += atoms[k].space;
    }
    return out;
  }

  // Explicit spaces; blanks between atoms are ignored.
  bool space(const Style& style, std::vector<Atom>& atoms) {
    if (text_[at_] == ' ') {
      ++at_;
      return true;
    }
    if (text_[at_] != '\\' || at_ + 1 >= text_.size()) return false;
    double room = 0;
    std::size_t length = 2;
    switch (text_[at_ + 1]) {
      case ',': room = 3; break;
      case ':': room = 4; break;
      case ';': room = 5; break;
      case ' ': room = 5; break;
      case '!': room = -3; break;
      default:
        if (text_.compare(at_, 6, "\\qquad") == 0 && !letter_at(at_ + 6)) {
          room = 36;
          length = 6;
        } else if (text_.compare(at_, 5, "\\quad") == 0 && !letter_at(at_ + 5)) {
          room = 18;
          length = 5;
        } else
          return false;
    }
    at_ += length;
    if (atoms.empty()) atoms.emplace_back();
    atoms.back().space += room / 18 * style.size;
    return true;
  }

  // nucleus, with ^, _ and primes after it in any order
  Atom scripted(const Style& style) {
    Atom out;
    if (text_[at_] != '^' && text_[at_] != '_' && text_[at_] != '\'') out = atom(style);
    std::optional<MathBox> above, below;
    int primes = 0;
    auto small = style.smaller(kScriptSize, least_);
    small.is_script = true;
    while (at_ < text_.size()) {
      const char c = text_[at_];
      if (c == '\'') {
        ++at_;
        ++primes;
      } else if (c == '^' || c == '_') {
        auto& place = c == '^' ? above : below;
        if (place) throw MathError{fmt::format("a second {} follows the first one", c)};
        ++at_;
        skip_spaces();
        if (c == '^' && text_.compare(at_, 6, "\\prime") == 0 && !letter_at(at_ + 6)) {
          at_ += 6;
          ++primes;
          continue;
        }
        if (at_ >= text_.size() || text_[at_] == '$' || text_[at_] == '^' || text_[at_] == '_')
          throw MathError{fmt::format("nothing follows {}", c)};
        place = atom(small).box;
      } else
        break;
    }
    if (primes > 0) add_primes(out.box, primes, style);
    if (above || below)
      out.box = with_scripts(std::move(out.box), std::move(above), std::move(below), style.size);
    return out;
  }

  // As high as the letter they belong to.
  void add_primes(MathBox& base, int count, const Style& style) {
    for (int k = 0; k < count; ++k) {
      auto prime = glyph("′", style.smaller(kScriptSize, least_));
      prime.shift(0, std::max(base.top, 0.7 * style.size) - prime.top);
      base.append(std::move(prime), k == 0 ? 0.03 * style.size : 0);
    }
  }

  // A group in braces, a command, or one character.
  Atom atom(const Style& style) {
    const char c = text_[at_];
    if (c == '{') {
      ++at_;
      Atom out{row('}', style)};
      ++at_;
      return out;
    }
    if (c == '}') throw MathError{"unmatched }"};
    if (c == '\\') return command(style);
    const auto character = decode(text_, at_);
    auto s = text_.substr(at_, static_cast<std::size_t>(character.length));
    at_ += static_cast<std::size_t>(character.length);
    if (s == "-") s = "−";
    if (is_letter(character.code)) return {variable(character.code, style)};
    return {glyph(s, style), class_of_character(character.code)};
  }

  Font font_of(const Style& style) const {
    Font font;
    font.size = style.as_text ? style.size : style.size * kMathScale;
    font.family = style.as_text ? Font::Family::text : Font::Family::math;
    font.bold = style.as_text && style.bold;
    return font;
  }

  // Literal text, bold if the surrounding text is bold.
  MathBox glyph(std::string_view s, const Style& style) {
    std::string shown;
    for (std::size_t i = 0; i < s.size();) {
      const auto c = decode(s, i);
      const auto alphabet = style.alphabet.value_or(style.bold ? Alphabet::bold : Alphabet::upright);
      append_utf8(shown, style.as_text ? c.code : in_alphabet(c.code, alphabet));
      i += static_cast<std::size_t>(c.length);
    }
    return text_box(shown, font_of(style), measurer_);
  }

  MathBox variable(char32_t code, const Style& style) {
    std::string s;
    if (style.as_text) {
      append_utf8(s, code);
      return text_box(s, font_of(style), measurer_);
    }
    append_utf8(
        s, in_alphabet(code, style.alphabet.value_or(style.bold ? Alphabet::bold_italic : Alphabet::italic)));
    return text_box(s, font_of(style), measurer_);
  }

  Atom command(const Style& style) {
    const auto begin = at_++;
    if (at_ >= text_.size()) throw MathError{"a command is missing"};
    if (!letter_at(at_)) {
      const char c = text_[at_++];
      if (c == '{') return {glyph("{", style), AtomClass::open};
      if (c == '}') return {glyph("}", style), AtomClass::close};
      if (c == '|') return {glyph("‖", style)};
      if (std::string_view("%$#&_").find(c) != std::string_view::npos)
        return {glyph(std::string(1, c), style)};
      at_ = begin;
      throw MathError{fmt::format("unknown command `\\{}`", c)};
    }
    while (letter_at(at_)) ++at_;
    const auto name = std::string_view(text_).substr(begin + 1, at_ - begin - 1);
    if (auto built = construction(name, style)) return std::move(*built);
    const auto symbol = math_symbol(name);
    if (!symbol) {
      at_ = begin;
      throw MathError{fmt::format("unknown command `\\{}`", name)};
    }
    if (symbol->is_letter) return {variable(decode(symbol->text, 0).code, style)};
    if (symbol->kind == AtomClass::large && !symbol->is_function) {
      const auto big = style.is_script ? style : style.smaller(kLargeOperator, 0);
      return {on_axis(glyph(symbol->text, big), style.size), AtomClass::large};
    }
    return {glyph(symbol->text, style), symbol->kind};
  }

  // Commands with arguments.
  std::optional<Atom> construction(std::string_view name, const Style& style) {
    if (name == "frac") {
      const auto small = style.smaller(kFractionSize, least_);
      auto above = group(small, name);
      return Atom{fraction_of(std::move(above), group(small, name), style.size)};
    }
    if (name == "sqrt") return Atom{root(style)};
    if (name == "overline" || name == "underline")
      return Atom{with_line(group(style, name), name == "overline", style.size)};
    if (name == "bar") return Atom{with_line(accented(style), true, style.size)};
    if (name == "vec") return Atom{with_accent(accented(style), {}, style.size)};
    constexpr std::pair<std::string_view, std::string_view> accents[] = {
        {"hat", "ˆ"}, {"dot", "˙"}, {"ddot", "¨"}, {"tilde", "˜"}, {"check", "ˇ"}};
    for (const auto& [known, mark] : accents)
      if (known == name) {
        auto inside = accented(style);
        return Atom{with_accent(std::move(inside), glyph(mark, style), style.size)};
      }
    if (name == "left") return fenced(style);
    if (name == "right") throw MathError{"unmatched `\\right`"};
    if (name == "text") return Atom{words(style)};
    constexpr std::pair<std::string_view, Alphabet> alphabets[] = {
        {"mathrm", Alphabet::upright}, {"operatorname", Alphabet::upright}, {"mathbf", Alphabet::bold},
        {"mathit", Alphabet::italic},  {"mathbb", Alphabet::double_struck}, {"mathcal", Alphabet::script}};
    for (const auto& [known, alphabet] : alphabets)
      if (known == name) {
        auto inner = style;
        inner.alphabet = alphabet == Alphabet::upright && style.bold ? Alphabet::bold : alphabet;
        return Atom{group(inner, name), name == "operatorname" ? AtomClass::large : AtomClass::ordinary};
      }
    return std::nullopt;
  }

  void skip_spaces() {
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
  }

  MathBox group(const Style& style, std::string_view what) {
    skip_spaces();
    if (at_ >= text_.size() || text_[at_] != '{') throw MathError{fmt::format("`\\{}` takes braces,", what)};
    return atom(style).box;
  }

  MathBox accented(const Style& style) {
    skip_spaces();
    if (at_ >= text_.size() || text_[at_] == '$' || text_[at_] == '^' || text_[at_] == '_')
      throw MathError{"nothing is under the accent"};
    auto box = atom(style).box;
    if (box.runs.empty()) throw MathError{"nothing is under the accent"};
    return box;
  }

  MathBox root(const Style& style) {
    MathBox degree;
    skip_spaces();
    if (at_ < text_.size() && text_[at_] == '[') {
      ++at_;
      degree = row(']', style.smaller(kScriptSize * 0.85, least_));
      ++at_;
    }
    return root_of(group(style, "sqrt"), degree, style.size);
  }

  // The text between braces, including spaces.
  MathBox words(Style style) {
    skip_spaces();
    if (at_ >= text_.size() || text_[at_] != '{') throw MathError{"`\\text` takes braces,"};
    const auto close = text_.find('}', at_);
    if (close == std::string::npos) throw MathError{"these braces are not closed,"};
    const auto inside = text_.substr(at_ + 1, close - at_ - 1);
    at_ = close + 1;
    style.as_text = true;
    return inside.empty() ? MathBox{} : text_box(inside, font_of(style), measurer_);
  }

  // The delimiter after \left or \right; "" for a dot.
  std::string fence() {
    skip_spaces();
    if (at_ >= text_.size()) throw MathError{"a bracket is missing"};
    const char c = text_[at_];
    if (c == '\\') {
      const auto begin = at_++;
      if (at_ < text_.size() && std::string_view("{}|").find(text_[at_]) != std::string_view::npos) {
        const char sign = text_[at_++];
        return sign == '|' ? "‖" : std::string(1, sign);
      }
      while (letter_at(at_)) ++at_;
      const auto symbol = math_symbol(std::string_view(text_).substr(begin + 1, at_ - begin - 1));
      if (symbol && (symbol->kind == AtomClass::open || symbol->kind == AtomClass::close))
        return std::string(symbol->text);
      at_ = begin;
    }
    if (std::string_view("()[]|.<>/").find(c) == std::string_view::npos)
      throw MathError{"a bracket is missing"};
    ++at_;
    return c == '.' ? "" : c == '<' ? "⟨" : c == '>' ? "⟩" : std::string(1, c);
  }

  Atom fenced(const Style& style) {
    const auto left = fence();
    auto inside = row(kRight, style);
    at_ += 6;
    const auto right = fence();
    const double axis = kMathAxis * style.size;
    const double reach = std::max(inside.top - axis, inside.bottom + axis);
    const auto stretched = [&](const std::string& sign) {
      if (sign.empty()) return MathBox{};
      const auto plain = glyph(sign, style);
      const double factor = std::clamp(1.04 * 2 * reach / std::max(0.1, plain.top + plain.bottom), 1.0, 4.0);
      return on_axis(glyph(sign, style.smaller(factor, 0)), style.size);
    };
    Atom out{stretched(left)};
    out.box.append(std::move(inside));
    out.box.append(stretched(right));
    return out;
  }

  const std::string& text_;
  std::size_t& at_;
  double least_;
  TextMeasurer& measurer_;
  int depth_ = 0;
};

// Whether a formula has neither variables nor signs of its own: figures with units and powers.
bool is_plain(std::string_view formula) {
  for (std::size_t i = 0; i < formula.size(); ++i) {
    const char c = formula[i];
    if (c != '\\') {
      if ((c | 32) >= 'a' && (c | 32) <= 'z') return false;
      if (static_cast<unsigned char>(c) >= 0x80 && is_letter(decode(formula, i).code)) return false;
      continue;
    }
    auto end = i + 1;
    while (end < formula.size() && (formula[end] | 32) >= 'a' && (formula[end] | 32) <= 'z') ++end;
    const auto name = formula.substr(i + 1, end - i - 1);
    constexpr std::string_view plain[] = {"times", "cdot", "pm", "mp", "degree", "quad", "qquad", ""};
    if (name == "mathrm" || name == "text") {
      const auto close = formula.find('}', end);
      if (close == std::string_view::npos) return false;
      i = close;
    } else if (std::find(std::begin(plain), std::end(plain), name) == std::end(plain))
      return false;
    else
      i = std::max(i + 1, end - 1);
  }
  return true;
}

std::size_t closing_dollar(const std::string& text, std::size_t at) {
  for (auto i = at + 1; i < text.size(); ++i) {
    if (text[i] == '\\')
      ++i;
    else if (text[i] == '$')
      return i;
  }
  return std::string::npos;
}

MathBox compose(const std::string& text, std::size_t& at, const Font& font, TextMeasurer& measurer) {
  MathBox box;
  std::string plain;
  const auto put_plain = [&] {
    if (!plain.empty()) box.append(text_box(plain, font, measurer));
    plain.clear();
  };
  while (at < text.size()) {
    const char c = text[at];
    const auto close = c == '$' ? closing_dollar(text, at) : std::string::npos;
    if (c == '\\' && at + 1 < text.size() && text[at + 1] == '$') {
      plain += '$';
      at += 2;
    } else if (close != std::string::npos) {
      put_plain();
      ++at;
      Style style;
      style.size = font.size;
      style.bold = font.bold;
      style.as_text = is_plain(std::string_view(text).substr(at, close - at));
      box.append(FormulaReader(text, at, font.size, measurer).row('$', style));
      ++at;
    } else {
      plain += c;
      ++at;
    }
  }
  put_plain();
  return box;
}

}  // namespace

std::string TextLine::plain() const {
  std::string out;
  for (const auto& run : runs)
    out += run.font.family == Font::Family::math ? without_alphabets(run.text) : run.text;
  return out;
}

TextLine lay_text(const std::string& text, const Font& font, TextMeasurer& measurer) {
  TextLine line;
  MathBox box;
  std::size_t at = 0;
  try {
    box = compose(text, at, font, measurer);
  } catch (const MathError& wrong) {
    line.error = fmt::format("{} at character {} of \"{}\"", wrong.message,
                             count_characters(std::string_view(text).substr(0, at)) + 1, text);
    box = text_box(text, font, measurer);
  }
  // Lines have constant distance; tall formulas get more.
  const auto usual = measurer.measure("Ag", font);
  line.width = box.width;
  line.ascent = box.top > usual.ascent ? box.top + 0.08 * font.size : usual.ascent;
  line.descent = box.bottom > usual.descent ? box.bottom + 0.04 * font.size : usual.descent;
  line.runs = std::move(box.runs);
  line.strokes = std::move(box.strokes);
  return line;
}

}  // namespace quill
