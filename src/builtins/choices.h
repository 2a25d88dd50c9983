// Allowed values of parameters that take one of several names; the first is the default.
#pragma once

#include <array>
#include <string_view>

namespace quill::choices {

using Word = std::string_view;

inline constexpr std::array kBadRows = {Word("error"), Word("skip"), Word("nan")};
inline constexpr std::array kMinimizers = {Word("automatic"),   Word("lbfgs"),  Word("slsqp"),
                                           Word("nelder_mead"), Word("bobyqa"), Word("random_search")};
inline constexpr std::array kSides = {Word("right"), Word("left"), Word("both")};
inline constexpr std::array kKept = {Word("both"), Word("left"), Word("all")};
inline constexpr std::array kScales = {Word("linear"), Word("log"), Word("signed_log"), Word("time")};
inline constexpr std::array kArrows = {Word("none"), Word("straight"), Word("curved")};
inline constexpr std::array kGrids = {Word("x y"), Word("x"), Word("y"), Word("none")};
inline constexpr std::array kCounts = {Word("count"), Word("density"), Word("share")};
inline constexpr std::array kLinks = {Word(""), Word("rows"), Word("columns"), Word("all")};
inline constexpr std::array kFigureSizes = {Word("column"), Word("page"), Word("slide"), Word("poster")};
inline constexpr std::array kAxisSides = {Word("left"), Word("right")};
inline constexpr std::array kHolds = {Word("around"), Word("before"), Word("after")};
inline constexpr std::array kWeights = {Word("none"), Word("sine"), Word("cosine"), Word("cauchy")};
inline constexpr std::array kInterpolants = {Word("linear"),    Word("nearest"),  Word("previous"),
                                             Word("spline"),    Word("monotone"), Word("akima"),
                                             Word("polynomial")};
inline constexpr std::array kEnds = {Word("not_a_knot"), Word("natural"), Word("clamped"), Word("periodic")};
inline constexpr std::array kOutside = {Word("nan"), Word("error"), Word("clamp"), Word("extend")};
inline constexpr std::array kOverlaps = {Word("full"), Word("same"), Word("valid")};
inline constexpr std::array kWindows = {Word("hann"),    Word("rectangular"), Word("bartlett"),
                                        Word("hamming"), Word("blackman"),    Word("flat_top"),
                                        Word("kaiser")};
inline constexpr std::array kSpectra = {Word("one"), Word("two")};
inline constexpr std::array kDistributions = {Word("normal"),  Word("student_t"), Word("chi_squared"),
                                              Word("f"),       Word("uniform"),   Word("exponential"),
                                              Word("gamma"),   Word("beta"),      Word("log_normal"),
                                              Word("weibull"), Word("poisson"),   Word("binomial")};
inline constexpr std::array kAlternatives = {Word("two_sided"), Word("less"), Word("greater")};
inline constexpr std::array kCorrelations = {Word("pearson"), Word("spearman"), Word("kendall")};
inline constexpr std::array kAdjustments = {Word("holm"), Word("benjamini_hochberg")};
inline constexpr std::array kBootstraps = {Word("bca"), Word("percentile")};
inline constexpr std::array kPasses = {Word("low"), Word("high"), Word("band"), Word("stop")};
inline constexpr std::array kMovingEnds = {Word("shrink"), Word("nan"), Word("mirror")};
inline constexpr std::array kFills = {Word("linear"), Word("previous")};
inline constexpr std::array kAiry = {Word("ai"), Word("bi")};
inline constexpr std::array kRules = {Word("trapezoid"), Word("simpson")};
inline constexpr std::array kScattered = {Word("linear"), Word("cubic"), Word("nearest")};
inline constexpr std::array kKernels = {
    Word("thin_plate"), Word("multiquadric"), Word("inverse_multiquadric"),
    Word("gaussian"),   Word("cubic"),        Word("linear")};
inline constexpr std::array kTimeUnits = {Word("day"),  Word("minute"), Word("hour"),
                                          Word("week"), Word("month"),  Word("year")};
inline constexpr std::array kLosses = {Word("squares"), Word("huber"), Word("cauchy"), Word("bisquare")};
inline constexpr std::array kSteppers = {Word("dormand_prince"), Word("rk4"), Word("bulirsch_stoer"),
                                         Word("rosenbrock"), Word("backward_euler")};

}  // namespace quill::choices
