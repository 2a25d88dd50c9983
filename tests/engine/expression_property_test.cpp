// Random expressions over random shapes, layouts and element types, run by the machine and by a plain
// evaluator.
#include <algorithm>
#include <catch2/catch.hpp>

#include "reference/evaluator.h"
#include "support/script.h"
#include "value/value.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("random expressions agree with an element by element evaluation in value, type and shape") {
  int refused = 0, given = 0;
  for (unsigned seed = 1; seed <= 1500; ++seed) {
    Generator generator(seed);
    const auto e = generator.expression(4);
    const auto program = generator.program() + "result = " + e.text;
    CAPTURE(seed, program);
    MemoryHost host;
    TestSession session(host, {});
    const bool ran = session.run("test.eq", program);
    CAPTURE(host.messages);
    if (const auto& refusal = generator.refusal()) {
      // The generator drops one of two numbers, and a refusal with it.
      if (e.text.find(refusal->part) == e.text.npos) continue;
      ++refused;
      REQUIRE_FALSE(ran);
      // Of the kind that was foreseen, and at the part that cannot be evaluated.
      CAPTURE(refusal->part);
      CHECK(host.messages.substr(0, host.messages.find('\n')).find(words_of(refusal->why)) !=
            std::string::npos);
      const auto line = std::count(program.begin(), program.end(), '\n') + 1;
      const auto text = "result = " + e.text;
      bool found = false;
      for (auto at = text.find(refusal->part); at != text.npos; at = text.find(refusal->part, at + 1)) {
        // Parentheses are marked with what they hold, or not.
        for (const auto column : {at + 1, at + 2})
          found = found || host.messages.find("\n  test.eq, line " + std::to_string(line) + ", column " +
                                              std::to_string(column) + "\n") != std::string::npos;
      }
      CHECK(found);
      continue;
    }
    REQUIRE(ran);
    ++given;
    const auto& value = *session.find("result");
    const auto got = to_array(value);
    const auto& wanted = e.value;
    CHECK(type_name(value) == wanted.type);
    REQUIRE(std::vector<long>(got.shape().begin(), got.shape().end()) == wanted.shape);
    const auto numbers = got.converted(ElementType::float64).to_vector<double>();
    for (std::size_t k = 0; k < numbers.size(); ++k) {
      CAPTURE(k, numbers[k], wanted.values[k]);
      CHECK((numbers[k] == wanted.values[k] || (std::isnan(numbers[k]) && std::isnan(wanted.values[k]))));
    }
  }
  CHECK(given > 1000);
  CHECK(refused > 50);
  CHECK(refused < 500);
}
