#include "figure/math_symbols.h"

#include <map>

namespace quill {

namespace {

using Table = std::map<std::string_view, MathSymbol>;

Table make_symbols() {
  Table table;
  const auto add = [&](AtomClass kind,
                       std::initializer_list<std::pair<std::string_view, std::string_view>> rows) {
    for (const auto& [name, text] : rows) table[name] = {text, kind};
  };
  const auto letters = [&](std::initializer_list<std::pair<std::string_view, std::string_view>> rows) {
    for (const auto& [name, text] : rows) table[name] = {text, AtomClass::ordinary, true};
  };
  letters({{"alpha", "α"},      {"beta", "β"},    {"gamma", "γ"},    {"delta", "δ"}, {"epsilon", "ϵ"},
           {"varepsilon", "ε"}, {"zeta", "ζ"},    {"eta", "η"},      {"theta", "θ"}, {"vartheta", "ϑ"},
           {"iota", "ι"},       {"kappa", "κ"},   {"lambda", "λ"},   {"mu", "μ"},    {"nu", "ν"},
           {"xi", "ξ"},         {"omicron", "ο"}, {"pi", "π"},       {"varpi", "ϖ"}, {"rho", "ρ"},
           {"varrho", "ϱ"},     {"sigma", "σ"},   {"varsigma", "ς"}, {"tau", "τ"},   {"upsilon", "υ"},
           {"phi", "ϕ"},        {"varphi", "φ"},  {"chi", "χ"},      {"psi", "ψ"},   {"omega", "ω"},
           {"partial", "∂"}});
  add(AtomClass::ordinary,
      {{"Gamma", "Γ"},  {"Delta", "Δ"},  {"Theta", "Θ"},   {"Lambda", "Λ"}, {"Xi", "Ξ"},
       {"Pi", "Π"},     {"Sigma", "Σ"},  {"Upsilon", "Υ"}, {"Phi", "Φ"},    {"Psi", "Ψ"},
       {"Omega", "Ω"},  {"infty", "∞"},  {"nabla", "∇"},   {"degree", "°"}, {"prime", "′"},
       {"ell", "ℓ"},    {"hbar", "ℏ"},   {"ldots", "…"},   {"dots", "…"},   {"cdots", "⋯"},
       {"ang", "∠"},    {"angle", "∠"},  {"Re", "ℜ"},      {"Im", "ℑ"},     {"emptyset", "∅"},
       {"forall", "∀"}, {"exists", "∃"}, {"neg", "¬"},     {"bullet", "•"}, {"dagger", "†"},
       {"S", "§"}});
  add(AtomClass::large,
      {{"sum", "∑"}, {"prod", "∏"}, {"int", "∫"}, {"iint", "∬"}, {"iiint", "∭"}, {"oint", "∮"}});
  add(AtomClass::binary, {{"times", "×"},
                          {"cdot", "·"},
                          {"pm", "±"},
                          {"mp", "∓"},
                          {"div", "÷"},
                          {"circ", "∘"},
                          {"ast", "∗"},
                          {"star", "⋆"},
                          {"oplus", "⊕"},
                          {"otimes", "⊗"},
                          {"cup", "∪"},
                          {"cap", "∩"},
                          {"wedge", "∧"},
                          {"vee", "∨"}});
  add(AtomClass::relation,
      {{"approx", "≈"},  {"sim", "∼"},       {"simeq", "≃"},      {"cong", "≅"},      {"equiv", "≡"},
       {"neq", "≠"},     {"ne", "≠"},        {"le", "≤"},         {"leq", "≤"},       {"ge", "≥"},
       {"geq", "≥"},     {"ll", "≪"},        {"gg", "≫"},         {"lesssim", "≲"},   {"gtrsim", "≳"},
       {"propto", "∝"},  {"to", "→"},        {"rightarrow", "→"}, {"leftarrow", "←"}, {"leftrightarrow", "↔"},
       {"uparrow", "↑"}, {"downarrow", "↓"}, {"Rightarrow", "⇒"}, {"Leftarrow", "⇐"}, {"Leftrightarrow", "⇔"},
       {"mapsto", "↦"},  {"in", "∈"},        {"notin", "∉"},      {"subset", "⊂"},    {"subseteq", "⊆"},
       {"supset", "⊃"},  {"perp", "⊥"},      {"parallel", "∥"},   {"mid", "∣"}});
  add(AtomClass::open, {{"langle", "⟨"}, {"lfloor", "⌊"}, {"lceil", "⌈"}, {"lbrace", "{"}});
  add(AtomClass::close, {{"rangle", "⟩"}, {"rfloor", "⌋"}, {"rceil", "⌉"}, {"rbrace", "}"}});
  for (const char* name :
       {"sin",    "cos",    "tan",    "cot",  "exp",  "log",  "ln",  "max", "min", "lim", "sup", "inf",
        "arcsin", "arccos", "arctan", "sinh", "cosh", "tanh", "det", "arg", "sgn", "erf", "var", "cov"})
    table[name] = {name, AtomClass::large, false, true};
  return table;
}

}  // namespace

std::optional<MathSymbol> math_symbol(std::string_view name) {
  static const Table table = make_symbols();
  const auto found = table.find(name);
  if (found == table.end()) return std::nullopt;
  return found->second;
}

AtomClass class_of_character(char32_t c) {
  switch (c) {
    case '+':
    case '-':
    case '*':
    case U'−':
    case U'±':
    case U'×':
    case U'·': return AtomClass::binary;
    case '=':
    case '<':
    case '>':
    case ':':
    case U'≤':
    case U'≥':
    case U'≠':
    case U'≈':
    case U'→': return AtomClass::relation;
    case '(':
    case '[': return AtomClass::open;
    case ')':
    case ']':
    case '!': return AtomClass::close;
    case ',':
    case ';': return AtomClass::punctuation;
    default: return AtomClass::ordinary;
  }
}

namespace {

// Codes of an alphabet's A, a, α and 0; 0 if absent.
struct Starts {
  char32_t capital, small, greek, digit, partial;
};
constexpr Starts kStarts[] = {{0x1D434, 0x1D44E, 0x1D6FC, 0, 0x1D715},
                              {0x1D468, 0x1D482, 0x1D736, 0x1D7CE, 0x1D74F},
                              {0, 0, 0, 0, 0},
                              {0x1D400, 0x1D41A, 0x1D6C2, 0x1D7CE, 0x1D6DB},
                              {0x1D538, 0x1D552, 0, 0x1D7D8, 0},
                              {0x1D49C, 0x1D4B6, 0, 0, 0}};

// Letters that Unicode had before it had their alphabet.
std::optional<char32_t> earlier(char32_t c, Alphabet alphabet) {
  if (alphabet == Alphabet::italic) return c == 'h' ? std::optional<char32_t>(0x210E) : std::nullopt;
  constexpr std::pair<char, char32_t> doubled[] = {{'C', 0x2102}, {'H', 0x210D}, {'N', 0x2115}, {'P', 0x2119},
                                                   {'Q', 0x211A}, {'R', 0x211D}, {'Z', 0x2124}};
  constexpr std::pair<char, char32_t> written[] = {{'B', 0x212C}, {'E', 0x2130}, {'F', 0x2131}, {'H', 0x210B},
                                                   {'I', 0x2110}, {'L', 0x2112}, {'M', 0x2133}, {'R', 0x211B},
                                                   {'e', 0x212F}, {'g', 0x210A}, {'o', 0x2134}};
  if (alphabet == Alphabet::double_struck)
    for (const auto& [letter, code] : doubled)
      if (static_cast<char32_t>(letter) == c) return code;
  if (alphabet == Alphabet::script)
    for (const auto& [letter, code] : written)
      if (static_cast<char32_t>(letter) == c) return code;
  return std::nullopt;
}

}  // namespace

char32_t in_alphabet(char32_t c, Alphabet alphabet) {
  if (const auto code = earlier(c, alphabet)) return *code;
  const auto& starts = kStarts[static_cast<std::size_t>(alphabet)];
  const auto from = [&](char32_t start, char32_t first) { return start == 0 ? c : start + (c - first); };
  if (c >= 'A' && c <= 'Z') return from(starts.capital, 'A');
  if (c >= 'a' && c <= 'z') return from(starts.small, 'a');
  if (c >= '0' && c <= '9') return from(starts.digit, '0');
  if (starts.greek == 0) return c;
  if (c >= U'α' && c <= U'ω') return from(starts.greek, U'α');
  constexpr std::u32string_view variants = U"∂ϵϑϰϕϱϖ";  // in the order of their block
  if (const auto at = variants.find(c); at != std::u32string_view::npos)
    return starts.partial + static_cast<char32_t>(at);
  return c;
}

}  // namespace quill
