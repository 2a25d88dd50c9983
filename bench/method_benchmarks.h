// Numerical methods, with their second look and without it, against the bare libraries.
#pragma once

void register_method_benchmarks();
