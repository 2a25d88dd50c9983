#include "support/svg.h"

#include <catch2/catch.hpp>
#include <cstdlib>

#include "base/text.h"

namespace quill::test {

namespace {

using Attributes = std::map<std::string, std::string>;

std::string unescaped(std::string text) {
  for (const auto& [code, character] :
       {std::pair{"&lt;", "<"}, {"&gt;", ">"}, {"&quot;", "\""}, {"&amp;", "&"}})
    for (auto at = text.find(code); at != std::string::npos; at = text.find(code, at + 1))
      text.replace(at, std::string(code).size(), character);
  return text;
}

std::vector<std::vector<Point>> pieces_of(const std::string& d) {
  std::vector<std::vector<Point>> out;
  const char* at = d.c_str();
  while (*at) {
    const char command = *at;
    if (command == 'Z') {
      ++at;
      continue;
    }
    if (command != 'M' && command != 'L') return {};  // a marker's circle
    char* end = nullptr;
    const double x = std::strtod(at + 1, &end), y = std::strtod(end, &end);
    if (command == 'M') out.emplace_back();
    out.back().push_back({x, y});
    at = end;
  }
  return out;
}

class SvgReader {
 public:
  explicit SvgReader(const std::string& svg) : svg_(svg) {}

  SvgFigure run() {
    std::size_t at = 0;
    while ((at = svg_.find('<', at)) != std::string::npos) {
      const auto end = svg_.find('>', at);
      REQUIRE(end != std::string::npos);
      tag(svg_.substr(at + 1, end - at - 1), end + 1);
      at = end + 1;
    }
    CHECK(open_.empty());
    return std::move(out_);
  }

 private:
  struct Element {
    std::string name;
    Attributes attributes;
  };

  void tag(std::string text, std::size_t behind) {
    if (text.starts_with('/')) {
      REQUIRE(!open_.empty());
      CHECK(open_.back().name == text.substr(1));
      open_.pop_back();
      return;
    }
    const bool closed = text.ends_with('/');
    if (closed) text.pop_back();
    Element element;
    auto at = text.find(' ');
    element.name = text.substr(0, at);
    while (at != std::string::npos && at + 1 < text.size()) {
      const auto equals = text.find('=', at);
      if (equals == std::string::npos) break;
      REQUIRE(text[equals + 1] == '"');
      const auto end = text.find('"', equals + 2);
      REQUIRE(end != std::string::npos);
      element.attributes[text.substr(at + 1, equals - at - 1)] = text.substr(equals + 2, end - equals - 2);
      at = end + 1 < text.size() ? end + 1 : std::string::npos;
    }
    take(element, behind);
    if (!closed) open_.push_back(std::move(element));
  }

  static double number(const Attributes& a, const char* name) {
    const auto found = a.find(name);
    return found == a.end() ? 0 : std::strtod(found->second.c_str(), nullptr);
  }
  static std::string text(const Attributes& a, const char* name) {
    const auto found = a.find(name);
    return found == a.end() ? "" : found->second;
  }
  bool in(const char* name) const {
    for (const auto& element : open_)
      if (element.name == name) return true;
    return false;
  }

  void take(const Element& e, std::size_t behind) {
    const auto& a = e.attributes;
    if (e.name == "svg") {
      const auto box = text(a, "viewBox");
      REQUIRE(std::sscanf(box.c_str(), "0 0 %lf %lf", &out_.width, &out_.height) == 2);
    } else if (e.name == "text") {
      const auto& group = open_.back().attributes;
      SvgText found;
      const auto place = text(group, "transform");
      REQUIRE(std::sscanf(place.c_str(), "translate(%lf %lf) rotate(%lf)", &found.x, &found.y,
                          &found.angle) >= 2);
      found.fill = text(group, "fill");
      out_.texts.push_back(found);
    } else if (e.name == "tspan") {
      const auto end = svg_.find('<', behind);
      out_.texts.back().text += without_alphabets(unescaped(svg_.substr(behind, end - behind)));
    } else if (e.name == "path" && !in("defs")) {
      out_.paths.push_back({text(a, "stroke"), text(a, "fill"), pieces_of(text(a, "d"))});
    } else if (e.name == "use") {
      // All of one group are one layer's.
      if (group_of_markers_ != groups_) {
        const auto& group = open_.back().attributes;
        out_.markers.push_back({text(group, "fill"), text(group, "stroke"), {}});
        group_of_markers_ = groups_;
      }
      out_.markers.back().points.push_back({number(a, "x"), number(a, "y")});
    } else if (e.name == "image") {
      out_.images.push_back({{number(a, "x"), number(a, "y"), number(a, "width"), number(a, "height")}});
    } else if (e.name == "g")
      ++groups_;
  }

  const std::string& svg_;
  std::vector<Element> open_;
  SvgFigure out_;
  std::size_t groups_ = 0, group_of_markers_ = 0;
};

}  // namespace

SvgFigure read_svg(const std::string& svg) { return SvgReader(svg).run(); }

}  // namespace quill::test
