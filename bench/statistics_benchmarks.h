// Statistics, filters and spectra, against the same work in C++ with the same libraries.
#pragma once

void register_statistics_benchmarks();
