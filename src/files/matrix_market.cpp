// The exchange format of the Matrix Market (R. F. Boisvert, R. Pozo, K. A. Remington, NIST IR 5935, 1996).
#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <limits>

#include "base/interrupt.h"
#include "base/text.h"
#include "files/formats.h"
#include "files/provenance.h"

namespace quill {

namespace {

enum class Field : std::uint8_t { real, whole, complex, pattern };
enum class Symmetry : std::uint8_t { none, symmetric, skew, hermitian };

class MatrixMarketReader {
 public:
  MatrixMarketReader(std::string_view text, const std::string& name) : text_(text), name_(name) {}

  Array matrix() {
    read_head();
    const auto rows = size("rows"), columns = size("columns");
    const auto entries = is_listed_ ? size("entries") : rows * columns;
    if (symmetry_ != Symmetry::none && rows != columns)
      fail_here(fmt::format("a symmetric matrix must be square, and this one is {}×{}", rows, columns));
    Array out(field_ == Field::complex ? ElementType::complex128
              : field_ == Field::whole ? ElementType::int64
                                       : ElementType::float64,
              {rows, columns});
    visit_numeric(out.type(), [&]<class T>(Tag<T>) {
      T* to = out.mutable_data<T>();
      std::fill_n(to, rows * columns, T{});
      if (is_listed_)
        listed(to, rows, columns, entries);
      else
        all(to, rows, columns);
    });
    skip_space();
    if (at_ < text_.size()) fail_here("there is more data after the last entry");
    return out;
  }

 private:
  [[noreturn]] void fail_here(const std::string& message) const {
    const auto line = 1 + std::count(text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(at_), '\n');
    fail(fmt::format("{}, line {}: {}", name_, line, message));
  }

  void read_head() {
    const auto end = std::min(text_.find('\n'), text_.size());
    std::vector<std::string> words;
    for (const auto line = to_lower(text_.substr(0, end)); const auto& word : split(line))
      words.push_back(word);
    if (words.size() != 5 || words[0] != "%%matrixmarket" || words[1] != "matrix")
      fail_here("the first line does not describe the matrix");
    is_listed_ = words[2] == "coordinate";
    if (!is_listed_ && words[2] != "array") fail_here(fmt::format("unknown format \"{}\"", words[2]));
    field_ = words[3] == "complex"   ? Field::complex
             : words[3] == "integer" ? Field::whole
             : words[3] == "pattern" ? Field::pattern
                                     : Field::real;
    if (field_ == Field::real && words[3] != "real" && words[3] != "double")
      fail_here(fmt::format("unknown number type \"{}\"", words[3]));
    if (field_ == Field::pattern && !is_listed_) fail_here("a pattern matrix must be in coordinate format");
    symmetry_ = words[4] == "symmetric"        ? Symmetry::symmetric
                : words[4] == "skew-symmetric" ? Symmetry::skew
                : words[4] == "hermitian"      ? Symmetry::hermitian
                                               : Symmetry::none;
    if (symmetry_ == Symmetry::none && words[4] != "general")
      fail_here(fmt::format("unknown symmetry \"{}\"", words[4]));
    at_ = end;
  }

  static std::vector<std::string> split(const std::string& line) {
    std::vector<std::string> out;
    for (std::size_t at = line.find_first_not_of(" \t\r"); at != line.npos;) {
      const auto end = std::min(line.find_first_of(" \t\r", at), line.size());
      out.push_back(line.substr(at, end - at));
      at = line.find_first_not_of(" \t\r", end);
    }
    return out;
  }

  void skip_space() {
    while (at_ < text_.size()) {
      const char c = text_[at_];
      if (c == '%')
        at_ = std::min(text_.find('\n', at_), text_.size());
      else if (c == ' ' || c == '\t' || c == '\r' || c == '\n')
        ++at_;
      else
        return;
    }
  }

  std::string_view word() {
    skip_space();
    if (at_ >= text_.size()) fail_here("the file ends before all entries are complete");
    const auto end = std::min(text_.find_first_of(" \t\r\n", at_), text_.size());
    const auto out = text_.substr(at_, end - at_);
    at_ = end;
    return out;
  }
  double number() {
    const auto w = word();
    const auto value = parse_number(w);
    if (!value) fail_here(fmt::format("\"{}\" is not a number", printable(w)));
    return *value;
  }
  std::int64_t whole_number() {
    const auto w = word();
    std::int64_t value = 0;
    const auto digits = w.starts_with('+') ? w.substr(1) : w;
    const auto end = std::from_chars(digits.data(), digits.data() + digits.size(), value);
    if (end.ec == std::errc() && end.ptr == digits.data() + digits.size()) return value;
    const auto other = parse_number(w);  // 2.0, 1e3
    if (!other) fail_here(fmt::format("\"{}\" is not a number", printable(w)));
    if (!is_whole(*other) || std::fabs(*other) > kLargestExact)
      fail_here(fmt::format("{} is not an integer that fits", printable(w)));
    return static_cast<std::int64_t>(*other);
  }
  Index size(const char* what) {
    const double value = number();
    if (!is_whole(value) || value < 0 || value > 1e9)
      fail_here(fmt::format("{} is not a valid number of {}", shortest(value), what));
    return static_cast<Index>(value);
  }

  template <class T>
  T entry() {
    if (field_ == Field::pattern) return T{1};
    if constexpr (std::is_same_v<T, Complex>) {
      const double re = number();
      return {re, number()};
    } else if constexpr (std::is_integral_v<T>) {
      return static_cast<T>(whole_number());
    } else {
      return static_cast<T>(number());
    }
  }

  template <class T>
  T mirrored(T value) const {
    if constexpr (std::is_integral_v<T>)
      if (symmetry_ == Symmetry::skew && value == std::numeric_limits<T>::min())
        fail_here("the negative of the smallest whole number does not fit");
    if (symmetry_ == Symmetry::skew) return -value;
    if constexpr (std::is_same_v<T, Complex>)
      if (symmetry_ == Symmetry::hermitian) return std::conj(value);
    return value;
  }

  template <class T>
  void put(T* to, Index order, Index row, Index column, T value) const {
    add(to[row * order + column], value);
    if (symmetry_ != Symmetry::none && row != column) add(to[column * order + row], mirrored(value));
  }
  // An entry that is listed twice counts twice.
  template <class T>
  void add(T& to, T value) const {
    if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool>) {
      if (__builtin_add_overflow(to, value, &to)) fail_here("the sum of duplicate entries does not fit");
    } else {
      to = to == T{} ? value : to + value;  // the sum with zero would lose the sign of a negative zero
    }
  }

  template <class T>
  void listed(T* to, Index rows, Index columns, Index entries) {
    for (Index k = 0; k < entries; ++k) {
      poll_interrupt_at(static_cast<std::size_t>(k));
      const double row = number(), column = number();
      if (!is_whole(row) || !is_whole(column) || row < 1 || column < 1 || row > static_cast<double>(rows) ||
          column > static_cast<double>(columns))
        fail_here(
            fmt::format("the entry {}, {} is outside {}×{}", shortest(row), shortest(column), rows, columns));
      put(to, columns, static_cast<Index>(row) - 1, static_cast<Index>(column) - 1, entry<T>());
    }
  }

  // Column by column; for a symmetric matrix the lower triangle.
  template <class T>
  void all(T* to, Index rows, Index columns) {
    for (Index column = 0; column < columns; ++column) {
      poll_interrupt();
      const auto first = symmetry_ == Symmetry::none ? 0 : symmetry_ == Symmetry::skew ? column + 1 : column;
      for (Index row = first; row < rows; ++row) put(to, columns, row, column, entry<T>());
    }
  }

  std::string_view text_;
  const std::string& name_;
  std::size_t at_ = 0;
  bool is_listed_ = false;
  Field field_ = Field::real;
  Symmetry symmetry_ = Symmetry::none;
};

}  // namespace

Data read_matrix_market(std::string_view bytes, const std::string& name, const CsvOptions&) {
  if (const auto at = find_malformed(bytes); at != bytes.npos)
    fail(fmt::format("{} is not text: invalid byte {}", name, at + 1));
  return Data::of(MatrixMarketReader(bytes, name).matrix());
}

std::string write_matrix_market(const Data& data, const SaveOptions& options) {
  if (data.kind != Data::Kind::array || data.array.axes() == 0 || data.array.axes() > 2 ||
      !is_numeric(data.array.type()))
    fail("a Matrix Market file contains a matrix or a vector of numbers");
  const auto a = data.array.axes() == 1 ? data.array.with_shape({data.array.size(), 1}) : data.array;
  const bool is_complex = a.type() == ElementType::complex128;
  const bool is_whole_type = is_integer(a.type()) || a.type() == ElementType::boolean;
  const auto field = is_complex ? "complex" : is_whole_type ? "integer" : "real";
  std::string out = fmt::format("%%MatrixMarket matrix array {} general\n{}{} {}\n", field,
                                options.provenance.empty() ? "" : provenance_comment("%", options.provenance),
                                a.extent(0), a.extent(1));
  visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    std::size_t k = 0;
    for (const auto& v : a.transposed().to_vector<T>()) {
      poll_interrupt_at(k++);
      if constexpr (std::is_same_v<T, Complex>)
        out += fmt::format("{} {}\n", shortest(v.real()), shortest(v.imag()));
      else if constexpr (std::is_floating_point_v<T>)
        out += shortest(static_cast<double>(v)) + "\n";
      else
        out += fmt::format("{}\n", static_cast<std::int64_t>(v));
    }
  });
  return out;
}

}  // namespace quill
