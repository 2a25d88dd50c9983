// Loops, against the same loops by hand.
#pragma once

void register_loop_benchmarks();
