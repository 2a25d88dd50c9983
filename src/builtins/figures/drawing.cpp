#include "builtins/figures/drawing.h"

#include <fmt/format.h>

#include "base/text.h"
#include "figure/palette.h"

namespace quill {

double positive(const Call& call, std::size_t i, double fallback, double most) {
  if (!call.given(i)) return fallback;
  const double x = call.number(i);
  if (!(x > 0 && x <= most))
    call.fail_argument(
        i, fmt::format("must be a number above 0 and at most {}, not {}", shortest(most), shortest(x)));
  return x;
}

int count_argument(const Call& call, std::size_t i, int fallback, int most) {
  if (!call.given(i)) return fallback;
  const auto n = call.whole(i);
  if (n < 1 || n > most)
    call.fail_argument(i, fmt::format("must be an integer from 1 to {}, not {}", most, n));
  return static_cast<int>(n);
}

std::vector<std::string> texts_argument(const Call& call, std::size_t i) {
  if (call.value(i).is(Kind::text)) return {call.text(i)};
  const auto a = call.array(i);
  if (a.size() == 0 && a.axes() == 1) return {};
  if (a.type() != ElementType::text || a.axes() != 1)
    call.fail_argument(i, fmt::format("must be a vector of texts, not {}", kind_in_words(call.value(i))));
  return a.to_vector<std::string>();
}

Color css_color(const Call& call, std::size_t i) {
  const auto name = call.text(i);
  if (const auto color = parse_color(name)) return *color;
  const auto near = nearest_name(name, color_names());
  call.fail_argument(
      i,
      fmt::format("must be a CSS colour name, \"#rrggbb\" or a number of the colour cycle, not \"{}\"",
                  printable(name)),
      near.empty() ? "" : fmt::format("did you mean \"{}\"?", near));
}

Dash dash_argument(const Call& call, std::size_t i) {
  const auto dash = parse_dash(call.text(i));
  if (!dash)
    call.fail_argument(
        i, fmt::format("must be one of {}, not \"{}\"", list_in_prose(dash_names(), "or"), call.text(i)));
  return *dash;
}

std::string palette_argument(const Call& call, std::size_t i) {
  const auto name = call.text(i);
  if (find_palette(name)) return name;
  const auto near = nearest_name(name, palette_names());
  call.fail_argument(i, fmt::format("must be the name of a palette, not \"{}\"", printable(name)),
                     near.empty() ? fmt::format("there are {}", list_in_prose(palette_names()))
                                  : fmt::format("did you mean \"{}\"?", near));
}

}  // namespace quill
