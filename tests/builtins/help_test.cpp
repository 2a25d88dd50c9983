// Help pages and the search for them.
#include <algorithm>
#include <catch2/catch.hpp>

#include "builtins/tables.h"
#include "support/script.h"
#include "value/arguments.h"

using namespace quill;
using namespace quill::test;

namespace {

// The names that a search finds, best first.
std::vector<std::string> found(const std::string& words) {
  const auto text = help_search(words, 100);
  std::vector<std::string> out;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = text.find('\n', at);
    if (text[at] != ' ') out.push_back(text.substr(at, text.find(' ', at) - at));
    at = end + 1;
  }
  return out;
}

// Whether the name is among the first that are found.
bool leads_to(const std::string& words, const std::string& name, std::size_t among = 4) {
  const auto names = found(words);
  const auto at = std::find(names.begin(), names.end(), name);
  return at != names.end() && static_cast<std::size_t>(at - names.begin()) < among;
}

}  // namespace

TEST_CASE("search finds built-ins by the terms of the field, in any order of the words") {
  for (const auto& [words, name] :
       std::vector<std::pair<std::string, std::string>>{{"linear regression", "line_fit"},
                                                        {"regression linear", "line_fit"},
                                                        {"curve fitting", "fit"},
                                                        {"moving average", "moving_mean"},
                                                        {"log scale", "x_axis"},
                                                        {"random seed", "seed"},
                                                        {"double integral", "integrate"},
                                                        {"random integer", "random_whole"},
                                                        {"cross correlation", "correlate"},
                                                        {"evenly spaced", "range"},
                                                        {"grid interpolation", "grid_interpolant"},
                                                        {"trapezoid", "integrate_samples"},
                                                        {"regex", "matches"},
                                                        {"fourier transform", "fft"},
                                                        {"standard deviation", "std"},
                                                        {"bar chart", "bars"},
                                                        {"differential equation", "evolve"},
                                                        {"least squares", "least_squares"},
                                                        {"median", "median"},
                                                        {"matrix product", "operators"},
                                                        {"read csv file", "load"},
                                                        {"assert", "expect"}}) {
    CAPTURE(words, name, found(words));
    CHECK(leads_to(words, name));
  }
  CHECK(found("mean").front() == "mean");
  CHECK(found("xyzzyxyzzy").empty());
}

TEST_CASE("a search whose words are never together finds what has most of them") {
  const auto names = found("spline xyzzyxyzzy");
  CHECK(std::find(names.begin(), names.end(), "interpolate") != names.end());
}

TEST_CASE("related built-ins exist and refer to each other") {
  for (const auto& row : builtins().rows())
    for (std::size_t at = 0; at < row.see_also.size();) {
      const auto end = std::min(row.see_also.find(' ', at), row.see_also.size());
      const auto name = row.see_also.substr(at, end - at);
      CAPTURE(std::string(row.name), std::string(name));
      const int other = builtins().find(name);
      REQUIRE(other >= 0);
      CHECK(name != row.name);
      CHECK(
          (" " + std::string(builtins().row(other).see_also) + " ").find(" " + std::string(row.name) + " ") !=
          std::string::npos);
      at = end + 1;
    }
}

TEST_CASE("help lists uncommon options apart, and the signature leaves them out") {
  const auto& row = builtins().row(builtins().find("interpolate"));
  const auto text = help_text(row, 80);
  CHECK(text.starts_with("interpolate(x, y, at, method: \"linear\", outside: \"nan\", …)\n"));
  CHECK(text.find("\nSpline options\n  ends ") != std::string::npos);
  CHECK(text.find("\nParameters\n  x ") < text.find("\nSpline options\n"));
  CHECK(signature_of(row).find("slopes: (0, 0)") != std::string::npos);
  // All parameters of all built-ins are described.
  for (const auto& each : builtins().rows())
    for (const auto& p : each.parameters) {
      CAPTURE(std::string(each.name), std::string(p.name));
      CHECK(help_text(each, 80).find("\n  " + std::string(p.name) + " ") != std::string::npos);
    }
}

TEST_CASE("summaries start with a verb or name the function, and none is in the third person") {
  for (const auto& row : builtins().rows()) {
    const auto first = row.summary.substr(0, row.summary.find(' '));
    CAPTURE(std::string(row.name), std::string(first));
    CHECK(std::isupper(static_cast<unsigned char>(row.summary[0])) + (row.summary[0] == row.name[0]) > 0);
    for (const char* wrong :
         {"Draws", "Reads", "Writes", "Where", "Which", "How", "Whether", "Gives", "Prints"})
      CHECK(first != wrong);
  }
}

TEST_CASE("the examples of the topics print what is said") {
  for (const auto& topic : topics()) {
    CAPTURE(std::string(topic.name));
    CHECK(topic.summary.ends_with("."));
    if (topic.example.empty()) continue;
    const auto ran = run(std::string(topic.example));
    CAPTURE(ran.messages);
    CHECK(ran.ok);
    CHECK(ran.printed.find(std::string(topic.output)) != std::string::npos);
  }
}

TEST_CASE("names that were replaced are answered with their successors") {
  for (const auto& [text, name] : std::vector<std::pair<std::string, std::string>>{
           {"matrix_exp([0])", "matrix_exponential?"},
           {"null_space([1, 2])", "null_basis?"},
           {"rbf_interpolant([1], [2])", "radial_interpolant?"},
           {"sample([1, 2], 2, again: true)", "replacement:?"},
           {"radial_interpolant([1, 2], [1, 2], basis: \"linear\")", "kernel:?"},
           {"line_fit([1, 2, 3], [1, 2, 4]).freedom", "degrees_of_freedom?"},
           {"figure(\"a\") {\n heatmap([1, 2 | 3, 4], range: (0, 1))\n}", "limits:?"}}) {
    CAPTURE(text);
    CHECK(error_of("x = 1\n" + text).find("did you mean " + name) != std::string::npos);
  }
}
