#include "base/memory.h"

#include <catch2/catch.hpp>
#include <map>
#include <new>
#include <string>
#include <vector>

#include "base/interrupt.h"

using namespace quill;

namespace {

struct Ceiling {
  explicit Ceiling(std::int64_t bytes) { set_memory_ceiling(bytes); }
  ~Ceiling() { set_memory_ceiling(0); }
  Ceiling(const Ceiling&) = delete;
  Ceiling& operator=(const Ceiling&) = delete;
};

}  // namespace

TEST_CASE("memory: what C++ allocates is in the account") {
  const auto before = memory_held();
  {
    const std::string text(10'000'000, 'x');
    CHECK(memory_held() - before >= 10'000'000);
    std::map<int, std::string> many;
    for (int k = 0; k < 10'000; ++k) many[k] = std::string(1000, 'y');
    CHECK(memory_held() - before >= 20'000'000);
  }
  CHECK(memory_held() - before < 1000);
}

TEST_CASE("memory: one large piece beyond the ceiling is refused at once") {
  const Ceiling ceiling(10'000'000);
  CHECK_THROWS_AS(std::string(20'000'000, 'x'), std::bad_alloc);
  CHECK_NOTHROW(std::string(5'000'000, 'x'));
  CHECK_NOTHROW(poll_interrupt());
  CHECK(memory_error().hint.find("the limit is 10") != std::string::npos);
}

TEST_CASE("memory: small pieces beyond the ceiling are reported at the next poll, while they are held") {
  const Ceiling ceiling(10'000'000);
  std::vector<std::string> many;
  for (int k = 0; k < 15'000; ++k) many.emplace_back(1000, 'x');
  CHECK_THROWS_AS(poll_interrupt(), Error);
  for (int k = 0; k < 1000; ++k) many.emplace_back(1000, 'x');
  many.clear();
  CHECK_NOTHROW(poll_interrupt());
}

TEST_CASE("memory: far above the ceiling small pieces are refused too, with room to tell of it") {
  const Ceiling ceiling(10'000'000);
  std::vector<std::string> many;
  many.reserve(100'000);
  CHECK_THROWS_AS(
      [&] {
        for (int k = 0; k < 100'000; ++k) many.emplace_back(1000, 'x');
      }(),
      std::bad_alloc);
  CHECK_NOTHROW(memory_error());
  CHECK(many.size() < 60'000);
}
