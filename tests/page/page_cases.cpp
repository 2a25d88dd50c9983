// What the script of interactive pages has to find too: ticks, labels, places and limits of many ranges, one
// case a line as JSON.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "figure/axes.h"
#include "figure/ticks.h"
#include "figure/time_ticks.h"

using namespace quill;
using Json = nlohmann::json;

namespace {

std::mt19937_64 engine(20260604);

double uniform(double low, double high) {
  return low + (high - low) * static_cast<double>(engine() >> 11) * 0x1p-53;
}
double of_any_size(double least, double most) { return std::pow(10, uniform(least, most)); }
double sign() { return engine() % 2 == 0 ? 1 : -1; }

// Ranges as data have them: around 0, far from it, tiny, huge, with round ends.
Limits some_limits() {
  const double size = of_any_size(-12, 12);
  switch (engine() % 7) {
    case 0: return {0, size};
    case 1: return {-size * uniform(0, 1), size};
    case 2: {
      const double from = sign() * size * of_any_size(0, 6);
      return {from, from + size};
    }
    case 3: {
      const double from = std::floor(uniform(-50, 50));
      return {from, from + 1 + std::floor(uniform(0, 40))};
    }
    case 5: {
      const double huge = of_any_size(140, 300);
      return {huge * uniform(-1, 0.9), huge};
    }
    case 4: {
      const double tiny = of_any_size(-305, -100);
      return {tiny * uniform(0, 0.9), tiny};
    }
    default: return {sign() * of_any_size(-3, 3), 0};
  }
}

Limits ordered(Limits l) {
  if (l.low > l.high) std::swap(l.low, l.high);
  if (l.low == l.high) l.high = l.low + 1;
  return l;
}

void print_ticks(const Scale& scale, double wanted, bool is_count) {
  std::string context;
  const auto ticks = ticks_of(scale, wanted, context, is_count);
  constexpr const char* kinds[] = {"linear", "log", "signed_log", "time"};
  fmt::print("{}\n", Json{{"case", "ticks"},
                          {"kind", kinds[static_cast<int>(scale.kind)]},
                          {"low", scale.limits.low},
                          {"high", scale.limits.high},
                          {"wanted", wanted},
                          {"count", is_count},
                          {"positions", ticks.positions},
                          {"labels", ticks.labels},
                          {"common", ticks.common},
                          {"step", ticks.step},
                          {"minor", ticks.minor},
                          {"context", context}}
                         .dump());
}

void print_scale(const Scale& scale) {
  Json shares = Json::array(), values = Json::array(), backs = Json::array();
  for (int k = 0; k <= 6; ++k) {
    const double share = -0.2 + 0.2 * k, value = scale.at(share);
    shares.push_back(share);
    values.push_back(value);
    backs.push_back(scale.share(value));
  }
  constexpr const char* kinds[] = {"linear", "log", "signed_log", "time"};
  const auto padded =
      padded_limits(scale.limits.low, scale.limits.high, scale.kind, engine() % 2 == 0, false);
  fmt::print("{}\n", Json{{"case", "scale"},
                          {"kind", kinds[static_cast<int>(scale.kind)]},
                          {"low", scale.limits.low},
                          {"high", scale.limits.high},
                          {"reverse", scale.reverse},
                          {"shares", shares},
                          {"values", values},
                          {"backs", backs},
                          {"tight", padded.low == scale.limits.low},
                          {"padded", {padded.low, padded.high}}}
                         .dump());
}

}  // namespace

int main() {
  for (int k = 0; k < 3000; ++k) {
    const auto limits = ordered(some_limits());
    print_ticks({limits}, uniform(2, 10), k % 5 == 0);
    if (k % 3 == 0) print_scale({limits, ScaleKind::linear, k % 2 == 0});
  }
  for (int k = 0; k < 1500; ++k) {
    const double low = of_any_size(-12, 10);
    const Limits limits{low, low * of_any_size(0.02, 14)};
    print_ticks({limits, ScaleKind::log}, uniform(2, 10), false);
    if (k % 3 == 0) print_scale({limits, ScaleKind::log, k % 2 == 0});
  }
  for (int k = 0; k < 1000; ++k) {
    const auto limits = ordered({sign() * of_any_size(-5, 9), sign() * of_any_size(-5, 9)});
    print_ticks({limits, ScaleKind::signed_log}, uniform(2, 10), false);
    if (k % 3 == 0) print_scale({limits, ScaleKind::signed_log, k % 2 == 0});
  }
  for (int k = 0; k < 2500; ++k) {
    const double from = std::floor(uniform(-5e9, 5e9)) + (k % 3 == 0 ? uniform(0, 1) : 0);
    print_ticks({{from, from + of_any_size(k % 4 == 0 ? -7.5 : -3, 10.5)}, ScaleKind::time}, uniform(2, 10),
                false);
  }
  constexpr const char* formats[] = {".2f",  ".0f",  "e",     ".3e", "g",   ".4g",
                                     "+.1f", "8.2f", "08.2f", "+g",  ".12g"};
  for (int k = 0; k < 3000; ++k) {
    const double v = k % 4 == 0 ? std::floor(uniform(-400, 400)) / 8 : sign() * of_any_size(-8, 12);
    const std::string format = formats[engine() % std::size(formats)];
    if (const auto labels = formatted_labels({v}, format))
      fmt::print("{}\n",
                 Json{{"case", "format"}, {"value", v}, {"format", format}, {"text", (*labels)[0]}}.dump());
  }
  return 0;
}
