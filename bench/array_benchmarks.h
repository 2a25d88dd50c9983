// Array expressions, against fused loops by hand.
#pragma once

void register_array_benchmarks();
