// Arguments shared by spectra.
#pragma once

#include <vector>

#include "numerics/spectra.h"
#include "value/registry.h"

namespace quill {

// Argument i as finite real samples.
std::vector<double> spectrum_samples(const Call& call, std::size_t i);
Window window_argument(const Call& call, std::size_t i);
SegmentOptions segment_options(const Call& call, std::size_t spacing, std::size_t window,
                               std::size_t detrend);

}  // namespace quill
