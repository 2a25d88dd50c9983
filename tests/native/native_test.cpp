// Native code against the machine: the same values, bit by bit, the same warnings and errors.
#include <bit>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <iterator>
#include <utility>

#include "engine/hot.h"
#include "support/effort.h"
#include "support/loop_programs.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

struct Outcome {
  bool ok = false;
  std::string text;  // everything that was printed and told, and the types and texts of all values
  std::vector<std::uint64_t> bits;  // of all numbers; of those that are nan no more than that
};

void add_bits(const Value& value, std::vector<std::uint64_t>& bits) {
  if (value.is(Kind::tuple)) {
    for (const auto& item : value.object<TupleObject>().items) add_bits(item, bits);
    return;
  }
  if (!value.is_array_like() || !is_numeric(element_type_of(value))) return;
  if (element_type_of(value) == ElementType::complex128) {
    for (const auto z : to_array(value).to_vector<Complex>())
      for (const double x : {z.real(), z.imag()})
        bits.push_back(std::isnan(x) ? ~std::uint64_t{0} : std::bit_cast<std::uint64_t>(x));
    return;
  }
  for (const double x : to_array(value).converted(ElementType::float64).to_vector<double>())
    bits.push_back(std::isnan(x) ? ~std::uint64_t{0} : std::bit_cast<std::uint64_t>(x));
}

Outcome outcome_of(const std::string& program, NativeUse use) {
  MemoryHost host;
  SessionOptions options;
  options.native = use;
  TestSession session(host, options);
  Outcome out;
  out.ok = session.run("test.eq", program);
  out.text = host.printed + host.messages;
  for (const std::string name :
       {"x", "y", "n", "b", "s", "t", "u", "v", "w", "m", "g", "p", "h", "z", "outside", "row", "result"})
    if (const auto* value = session.find(name)) {
      out.text += name + " = " + inline_text(*value) + ", " + type_name(*value) + "\n";
      add_bits(*value, out.bits);
    }
  return out;
}

// Whether they are the same; reports where they are not.
bool is_same(const Outcome& got, const Outcome& wanted) {
  CHECK(got.ok == wanted.ok);
  CHECK(got.text == wanted.text);
  CHECK(got.bits == wanted.bits);
  return got.text == wanted.text && got.bits == wanted.bits;
}

}  // namespace

TEST_CASE("random loops give the same with native code as without") {
  if (native_maker() == nullptr) return;
  int good = 0;
  // A long run asks for more.
  const char* const more = std::getenv("QUILL_TEST_LOOPS");
  const unsigned count = more ? static_cast<unsigned>(std::atoi(more)) : static_cast<unsigned>(repeats(100));
  for (unsigned seed = 1; seed <= count; ++seed) {
    const auto program = LoopPrograms(seed).program();
    CAPTURE(seed, program);
    const auto wanted = outcome_of(program, NativeUse::off);
    good += wanted.ok;
    if (!is_same(outcome_of(program, NativeUse::at_once), wanted)) break;
  }
  CHECK(good > static_cast<int>(count) / 4);
}

TEST_CASE("the program in the file QUILL_TEST_PROGRAM gives the same", "[.]") {
  const char* const name = std::getenv("QUILL_TEST_PROGRAM");
  if (native_maker() == nullptr || name == nullptr) return;
  std::ifstream file(name);
  const std::string program(std::istreambuf_iterator<char>(file), {});
  is_same(outcome_of(program, NativeUse::at_once), outcome_of(program, NativeUse::off));
}

TEST_CASE("random loops give the same when native code begins after some rounds") {
  if (native_maker() == nullptr) return;
  const int before = std::exchange(hot_instructions(), 60);
  for (unsigned seed = 5001; seed < 5001 + static_cast<unsigned>(repeats(40)); ++seed) {
    const auto program = LoopPrograms(seed).program();
    CAPTURE(seed, program);
    if (!is_same(outcome_of(program, NativeUse::when_hot), outcome_of(program, NativeUse::off))) break;
  }
  hot_instructions() = before;
}

TEST_CASE("native code can be left at every check") {
  if (native_maker() == nullptr) return;
  int left = 0;
  for (unsigned seed = 7001; seed < 7001 + static_cast<unsigned>(repeats(6)); ++seed) {
    const auto program = LoopPrograms(seed).program();
    CAPTURE(seed, program);
    const auto wanted = outcome_of(program, NativeUse::off);
    bool is_fine = true;
    for (std::int64_t k = 1; k < 400 && is_fine; k += 1 + k / 6) {
      CAPTURE(k);
      native_checks_left() = k;
      is_fine = is_same(outcome_of(program, NativeUse::at_once), wanted);
      left += native_checks_left() <= 0;
    }
    native_checks_left() = -1;
    if (!is_fine) break;
  }
  CHECK(left > 5 * static_cast<int>(repeats(6)));
}

TEST_CASE("functions see the present values of the names that a native loop changes") {
  const std::string program =
      "s = 0.5\nrow = [1, 2, 3]\nfn next_of(x) = x * 0.001 + s * 0.5 + row[2]\n"
      "for k in 1..50 {\n  s = next_of(k)\n  row[2] = 1 / k\n}\nresult = s";
  // By hand.
  double s = 0.5, second = 2;
  for (int k = 1; k <= 50; ++k) {
    s = k * 0.001 + s * 0.5 + second;
    second = 1.0 / k;
  }
  for (const auto use : {NativeUse::off, NativeUse::at_once}) {
    SessionOptions options;
    options.native = use;
    MemoryHost host;
    TestSession session(host, options);
    REQUIRE(session.run("test.eq", program));
    CHECK(session.find("result")->number() == s);
  }
}
