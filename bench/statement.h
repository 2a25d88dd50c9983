// A script's statement, run again and again in a session that has its variables already.
#pragma once

#include <benchmark/benchmark.h>

#include <string>

#include "session/session.h"

inline void time_statement(benchmark::State& state, const std::string& before, const std::string& statement) {
  quill::MemoryHost host;
  quill::SilentOutput output;
  quill::Session session(host, output, {});
  bool ok = session.run("before", before);
  for (auto _ : state) ok = session.run("bench", statement) && ok;
  if (!ok) state.SkipWithError("the script failed");
}
