// Interactive pages: the model that stands in them, packed numbers, what is reduced. What the script makes of
// them is tested in a browser (tests/page).
#include "render/page.h"

#include <zlib.h>

#include <bit>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <random>

#include "figure/layout.h"
#include "files/provenance.h"
#include "render/page_numbers.h"
#include "render/render.h"

using namespace quill;
using Json = nlohmann::ordered_json;

namespace {

std::vector<unsigned char> bytes_of(const std::string& base64) {
  const std::string digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::vector<unsigned char> out;
  unsigned bits = 0;
  int count = 0;
  for (const char c : base64) {
    if (c == '=') break;
    bits = bits << 6 | static_cast<unsigned>(digits.find(c));
    count += 6;
    if (count < 8) continue;
    count -= 8;
    out.push_back(static_cast<unsigned char>(bits >> count & 0xff));
  }
  return out;
}

// As the page unpacks them.
std::vector<double> unpacked(const Json& packed) {
  if (packed.is_array()) return packed.get<std::vector<double>>();
  const auto n = packed["n"].get<std::size_t>();
  std::vector<double> out(n);
  if (packed.contains("step")) {
    for (std::size_t k = 0; k < n; ++k)
      out[k] = packed["from"].get<double>() + static_cast<double>(k) * packed["step"].get<double>();
    return out;
  }
  const auto deflated = bytes_of(packed["z"].get<std::string>());
  std::vector<unsigned char> raw(8 * n);
  auto length = static_cast<uLongf>(raw.size());
  REQUIRE(uncompress(raw.data(), &length, deflated.data(), static_cast<uLong>(deflated.size())) == Z_OK);
  REQUIRE(length == raw.size());
  for (std::size_t k = 0; k < n; ++k) {
    std::uint64_t bits = 0;
    for (std::size_t b = 8; b-- > 0;) bits = bits << 8 | raw[b * n + k];
    out[k] = std::bit_cast<double>(bits);
  }
  return out;
}

bool same(const std::vector<double>& a, const std::vector<double>& b) {
  if (a.size() != b.size()) return false;
  for (std::size_t k = 0; k < a.size(); ++k)
    if (std::bit_cast<std::uint64_t>(a[k]) != std::bit_cast<std::uint64_t>(b[k])) return false;
  return true;
}

Layer line_of(std::vector<double> x, std::vector<double> y) {
  Layer layer;
  layer.x = std::move(x);
  layer.y = std::move(y);
  return layer;
}

std::string page_of(const Figure& figure) {
  const auto measurer = make_text_measurer();
  return render(figure, lay_out(figure, *measurer), "html");
}

Json model_in(const std::string& html) {
  const std::string open = "<script type=\"application/json\">";
  const auto begin = html.find(open) + open.size(), end = html.find("</script>", begin);
  return Json::parse(html.substr(begin, end - begin));
}

}  // namespace

TEST_CASE("numbers are packed to the last bit, whatever they are") {
  std::mt19937_64 engine(3);
  for (int round = 0; round < 200; ++round) {
    const std::size_t n = round < 60 ? static_cast<std::size_t>(round) : 1 + engine() % 3000;
    std::vector<double> numbers(n);
    const double step = static_cast<double>(engine() % 1000) / 7,
                 from = static_cast<double>(engine() % 100) / 3;
    for (std::size_t k = 0; k < n; ++k) {
      switch (round % 4) {
        case 0: numbers[k] = std::bit_cast<double>(engine()); break;  // nan with their bits, too
        case 1: numbers[k] = from + static_cast<double>(k) * step; break;
        case 2: numbers[k] = static_cast<double>(engine() % 10); break;
        default: numbers[k] = k % 5 == 4 ? std::nan("") : -INFINITY * static_cast<double>(k % 2);
      }
    }
    const auto packed = packed_numbers(numbers);
    const auto text = packed.dump();
    INFO("round " << round);
    CHECK(same(unpacked(Json::parse(text)), numbers));
    if (round % 4 == 1 && n > 300) CHECK(text.size() < 120);  // even steps are three numbers
  }
}

TEST_CASE("a reduced line keeps its extremes and its gaps") {
  std::mt19937 engine(5);
  std::normal_distribution<double> noise;
  std::vector<double> x, y;
  for (int k = 0; k < 10000; ++k) {
    x.push_back(k);
    y.push_back(k == 777 ? std::nan("") : noise(engine));
  }
  y[5000] = 50;
  y[6001] = -40;
  std::string told;
  const auto less = reduced_layer(line_of(x, y), 0.1, told);
  CHECK(told == "minimum and maximum of every 20 points");
  CHECK(less.x.size() <= 1002);
  CHECK(std::count_if(less.y.begin(), less.y.end(), [](double v) { return std::isnan(v); }) == 1);
  for (std::size_t from = 0; from < y.size(); from += 20) {
    double low = INFINITY, high = -INFINITY, kept_low = INFINITY, kept_high = -INFINITY;
    for (std::size_t k = from; k < from + 20; ++k)
      if (!std::isnan(y[k])) {
        low = std::min(low, y[k]);
        high = std::max(high, y[k]);
      }
    for (std::size_t k = 0; k < less.x.size(); ++k)
      if (less.x[k] >= static_cast<double>(from) && less.x[k] < static_cast<double>(from) + 20 &&
          !std::isnan(less.y[k])) {
        kept_low = std::min(kept_low, less.y[k]);
        kept_high = std::max(kept_high, less.y[k]);
        CHECK(less.y[k] == y[static_cast<std::size_t>(less.x[k])]);
      }
    CHECK(low == kept_low);
    CHECK(high == kept_high);
  }
}

TEST_CASE("reduced fields are means over all of the field, surfaces and points every so many") {
  Layer field;
  field.kind = Layer::Kind::heatmap;
  for (int k = 0; k <= 60; ++k) field.x.push_back(k);
  for (int k = 0; k <= 31; ++k) field.y.push_back(2 * k);
  for (int k = 0; k < 60 * 31; ++k) field.z.push_back(k % 7);
  std::string told;
  const auto less = reduced_layer(field, 0.25, told);
  CHECK(told == "means of 2×2 cells");
  CHECK(less.x.size() == 31);
  CHECK(less.y.size() == 17);
  CHECK(less.z.size() == 30 * 16);
  CHECK(less.x.back() == 60);
  CHECK(less.y.back() == 62);
  CHECK(less.z[0] == Approx((field.z[0] + field.z[1] + field.z[60] + field.z[61]) / 4));
  Layer surface;
  surface.kind = Layer::Kind::surface;
  for (int k = 0; k < 50; ++k) surface.x.push_back(k);
  surface.y = surface.x;
  for (int k = 0; k < 2500; ++k) surface.z.push_back(k);
  const auto coarse = reduced_layer(surface, 0.1, told);
  CHECK(told == "every 4th row and column");
  CHECK(coarse.x.size() == 14);  // 0, 4, …, 48 and the last
  CHECK(coarse.z.size() == 14 * 14);
  CHECK(coarse.z.back() == 2499);
  Layer points;
  points.kind = Layer::Kind::scatter;
  for (int k = 0; k < 1000; ++k) points.x.push_back(k);
  points.y = points.x;
  points.values = points.x;
  const auto some = reduced_layer(points, 0.1, told);
  CHECK(some.x.size() == 101);
  CHECK(some.values == some.x);
  Layer bars;
  bars.kind = Layer::Kind::boxes;
  for (int k = 0; k < 100; ++k) {
    bars.left.push_back(k);
    bars.right.push_back(k + 1);
    bars.low.push_back(0);
    bars.high.push_back(k % 10);
  }
  const auto joined = reduced_layer(bars, 0.1, told);
  CHECK(joined.high == std::vector<double>(10, 9));
  CHECK(joined.left.front() == 0);
  CHECK(joined.right.back() == 100);
}

TEST_CASE("a page holds what its figure is, the same bytes every time") {
  Figure figure;
  figure.name = "levels";
  figure.title = "A <b>title</b>";
  auto& panel = figure.panels.emplace_back();
  panel.layers.push_back(line_of({0, 1, 2, 3}, {1, 4, 2, 5}));
  panel.layers[0].label = "</script><script>alert(1)";
  panel.layers[0].x_is_time = true;
  panel.legend = LegendPlace::top_left;
  auto& note = panel.notes.emplace_back();
  note.text = "here";
  note.x = 1;
  note.y = 4;
  auto& guide = panel.guides.emplace_back();
  guide.is_vertical = true;
  guide.at = 2;
  panel.y.title = "level (m)";
  panel.y.limits = Limits{0, 6};
  const auto html = page_of(figure);
  CHECK(html == page_of(figure));
  CHECK(html.starts_with("<!DOCTYPE html>\n"));
  CHECK(html.find("alert(1)") != std::string::npos);
  CHECK(html.find("<script>alert(1)") == std::string::npos);
  CHECK(html.find("<b>") == std::string::npos);
  const auto model = model_in(html);
  CHECK(model["name"] == "levels");
  CHECK(model["title"] == "A <b>title</b>");
  const auto& p = model["panels"][0];
  CHECK(p["layers"][0]["kind"] == "line");
  CHECK(p["layers"][0]["label"] == "</script><script>alert(1)");
  CHECK(unpacked(p["layers"][0]["y"]) == std::vector<double>{1, 4, 2, 5});
  CHECK(p["x"]["kind"] == "time");
  CHECK(p["y"]["fixed"] == true);
  CHECK(p["y"]["low"] == 0);
  CHECK(p["notes"] == Json::parse("[[1.0,4.0]]"));
  CHECK(p["guides"][0]["vertical"] == true);
  CHECK(!model.contains("left_out"));
  // What lies under the data, and what over them, each part in its group.
  for (const char* part : {"grid", "axis", "note", "guide", "title", "legend"})
    CHECK(html.find("<g data-part=\"" + std::string(part) + "\"") != std::string::npos);
  CHECK(html.find("<g data-part=\"legend\" data-index=\"0\">") != std::string::npos);
  CHECK(html.find("<g data-part=\"data\"") == std::string::npos);
}

TEST_CASE("all panels fit their budget, and say what was left out") {
  Figure figure;
  figure.name = "much";
  figure.columns = 2;
  std::mt19937 engine(7);
  std::normal_distribution<double> noise;
  for (int c = 1; c <= 2; ++c) {
    auto& panel = figure.panels.emplace_back();
    panel.column = c;
    std::vector<double> x, y;
    for (int k = 0; k < 200000; ++k) {
      x.push_back(noise(engine));
      y.push_back(noise(engine));
    }
    panel.layers.push_back(line_of(x, y));
    panel.layers.push_back(line_of({0, 1}, {0, 1}));
    if (c == 2) panel.layers[0].kind = Layer::Kind::scatter;
  }
  for (const double budget : {0.1, 1.0, 20.0}) {
    figure.page_budget = budget;
    const auto html = page_of(figure);
    CHECK(static_cast<double>(html.size()) < budget * 1e6 + 250000);
    const auto model = model_in(html);
    CHECK(model.contains("left_out") == (budget < 20));
    if (budget < 20) CHECK(model["left_out"].size() == 2);
    CHECK(unpacked(model["panels"][1]["layers"][1]["y"]) == std::vector<double>{0, 1});
  }
}

TEST_CASE("pages carry their provenance, which is found and taken off again") {
  Figure figure;
  figure.name = "known";
  figure.panels.emplace_back().layers.push_back(line_of({0, 1}, {1, 2}));
  const auto html = page_of(figure);
  CHECK(!provenance_in(html));
  const std::string told = R"({"script":"a<b>.eq","digest":"</script>"})";
  const auto with = with_provenance(html, "html", told);
  CHECK(with != html);
  CHECK(with.find("</script>\"}") == std::string::npos);
  REQUIRE(provenance_in(with));
  CHECK(*provenance_in(with) == told);
  CHECK(without_provenance(with) == html);
}

TEST_CASE("odd data make pages too") {
  const double nan = std::nan("");
  for (const auto& y : std::vector<std::vector<double>>{
           {}, {nan, nan}, {1}, {INFINITY, -INFINITY}, {1e308, -1e308}, {1e-310, 2e-310}}) {
    Figure figure;
    figure.name = "odd";
    auto& panel = figure.panels.emplace_back();
    std::vector<double> x;
    for (std::size_t k = 0; k < y.size(); ++k) x.push_back(static_cast<double>(k));
    panel.layers.push_back(line_of(x, y));
    const auto model = model_in(page_of(figure));
    CHECK(model["panels"][0]["y"]["low"].is_number());
    CHECK(same(unpacked(model["panels"][0]["layers"][0].value("y", Json::array())), y));
  }
}
