// Random expressions over random shapes, layouts and element types, run by the machine and by a plain
// evaluator.
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
    std::optional<Written> e;
    std::string text = "0";
    // The text is known even when the evaluation refuses: the generator is asked again with the same seed.
    try {
      e = generator.expression(4);
      text = e->text;
    } catch (const Refused&) {
      ++refused;
      continue;
    }
    const auto program = generator.program() + "result = " + text;
    CAPTURE(seed, program);
    MemoryHost host;
    TestSession session(host, {});
    const bool ran = session.run("test.eq", program);
    CAPTURE(host.messages);
    REQUIRE(ran);
    ++given;
    const auto& value = *session.find("result");
    const auto got = to_array(value);
    const auto& wanted = e->value;
    CHECK(type_name(value) == wanted.type);
    REQUIRE(std::vector<long>(got.shape().begin(), got.shape().end()) == wanted.shape);
    const auto numbers = got.converted(ElementType::float64).to_vector<double>();
    for (std::size_t k = 0; k < numbers.size(); ++k) {
      CAPTURE(k, numbers[k], wanted.values[k]);
      CHECK((numbers[k] == wanted.values[k] || (std::isnan(numbers[k]) && std::isnan(wanted.values[k]))));
    }
  }
  CHECK(given > 1000);
  CHECK(refused < 400);
}
