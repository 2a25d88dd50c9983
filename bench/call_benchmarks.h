// Single calls on 10^6 elements beside plain C++ on one thread.
#pragma once

void register_call_benchmarks();
