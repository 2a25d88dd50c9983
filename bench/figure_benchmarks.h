// Benchmarks of figures, each with the same strokes by the drawing library alone.
#pragma once

void register_figure_benchmarks();
