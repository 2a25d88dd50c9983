// Which built-ins belong together: each group's members see each other in their help.
#include <array>
#include <map>

#include "builtins/tables.h"

namespace quill {

namespace {

// A built-in may be in several groups.
constexpr auto kGroups = std::to_array<std::string_view>({
    "interpolate interpolant densify",
    "interpolate grid_interpolant radial_interpolant",
    "interpolant grid_interpolant radial_interpolant inverse",
    "grid_interpolant radial_interpolant nearest_neighbors",
    "integrate integrate_samples cumulative_integral",
    "derivative gradient diff",
    "find_root minimize",
    "evolve integrate find_root",
    "line_fit polynomial_fit fit",
    "polynomial polynomial_fit find_root",
    "least_squares line_fit solve",
    "solve inverse lu condition_number",
    "det log_determinant lu",
    "rank null_basis svd condition_number",
    "eigen eigenvalues svd",
    "qr cholesky lu",
    "outer kron cross",
    "diagonal trace identity",
    "adjoint permute_axes conj",
    "vandermonde polynomial_fit",
    "matrix_exponential evolve eigen",
    "fft ifft real_fft frequencies",
    "fft2 ifft2 fft",
    "real_fft real_ifft frequencies",
    "fft_shift frequencies",
    "power_spectrum window fft",
    "convolve correlate moving_mean",
    "sum mean cumsum product",
    "mean median std quantile",
    "variance std rms",
    "min max argmin argmax",
    "any all positions",
    "skewness kurtosis",
    "cumsum cumprod diff scan",
    "running_max running_min",
    "norm rms hypot",
    "zeros ones filled identity",
    "across down outer",
    "reshape flatten shape auto",
    "join stack append split",
    "reverse rotate sort",
    "repeat join",
    "shape size length axes",
    "sort sort_order unique locate",
    "union intersection set_difference member",
    "positions pick filter",
    "bin_sums bin_means histogram_counts",
    "scan reduce zip",
    "keys values pairs has get",
    "remove insert filter append",
    "table rows columns group pivot",
    "join group columns",
    "with has keys",
    "text number text_part",
    "upper lower trim",
    "split_text join_text text_lines characters",
    "replace_text replace_pattern find_text",
    "contains starts_with ends_with matches",
    "matches extract extract_all replace_pattern",
    "pad_text repeat_text",
    "timestamp timestamp_text date_parts start_of now",
    "covariance correlation",
    "correlation correlate",
    "mode median",
    "moving_mean bin_means",
    "random random_normal random_whole seed",
    "random_stream seed random",
    "sample shuffle random_whole",
    "load open_data save read_text write_text",
    "print show digits",
    "fail warn",
    "line scatter steps stems",
    "line labels legend",
    "bars histogram",
    "histogram histogram_counts",
    "band area error_bars",
    "heatmap image_of contours filled_contours",
    "heatmap color_bar palette",
    "surface wireframe camera",
    "arrows contours",
    "figure panel extend theme",
    "title subtitle description",
    "x_axis y_axis right_axis z_axis",
    "grid frame",
    "guide note labels",
    "same near",
    "float64 float32 int32 int64 uint8",
    "complex real imag abs phase",
    "complex128 complex",
    "type bool",
    "floor ceil round truncate",
    "exp log expm1 log1p",
    "log log2 log10",
    "sqrt cbrt hypot",
    "sin cos tan",
    "asin acos atan atan2",
    "sinh cosh tanh",
    "asinh acosh atanh",
    "gamma log_gamma beta",
    "erf erfc",
    "bessel_j bessel_y bessel_i bessel_k",
    "spherical_bessel_j spherical_bessel_y bessel_j",
    "airy bessel_k",
    "regress line_fit least_squares anova",
    "local_regression smooth interpolant",
    "sobol_points latin_hypercube random",
    "aggregate regular fill_gaps seasonal_means",
    "trend line_fit correlation_test",
    "timestamp timestamp_text date_parts",
    "add_months start_of",
    "moving moving_mean smooth",
    "low_pass high_pass band_pass butterworth",
    "butterworth finite_filter",
    "smooth low_pass detrend",
    "detrend polynomial_fit",
    "peaks zero_crossings find_root",
    "analytic_signal envelope unwrap",
    "resample interpolate low_pass",
    "autocorrelation lagged_correlation correlate",
    "power_spectrum cross_spectrum spectrogram uneven_spectrum",
    "spectrogram wavelet_power",
    "dct idct fft",
    "inverse_erf inverse_erfc erf erfc",
    "gamma_lower gamma_upper gamma digamma",
    "beta_regularised beta",
    "elliptic_k elliptic_e elliptic_pi",
    "legendre hermite laguerre chebyshev",
    "zeta digamma",
    "lambert_w exponential_integral",
    "factorial binomial gamma",
    "gcd lcm",
    "primes is_prime prime_factors",
    "distribution fit_distribution distribution_test random_normal",
    "t_test rank_test signed_rank_test permutation_test",
    "t_test variance_test anova",
    "chi_squared_test distribution_test normality_test",
    "correlation_test correlation covariance",
    "adjust_p t_test",
    "bootstrap permutation_test sample",
    "ranks sort_order",
    "kernel_density histogram distribution",
    "joint_histogram histogram_counts heatmap",
    "quantile_plot distribution_test normality_test quantile",
    "principal_components svd covariance",
    "cluster group principal_components",
    "is_nan is_finite is_inf",
    "clamp min max",
    "nan inf pi",
});

}  // namespace

void add_related(std::vector<Builtin>& rows) {
  static std::map<std::string_view, std::string> related;
  for (const auto group : kGroups)
    for (auto& row : rows) {
      const auto padded = " " + std::string(group) + " ";
      const auto own = " " + std::string(row.name) + " ";
      if (padded.find(own) == padded.npos) continue;
      auto& all = related[row.name];
      for (std::size_t at = 0; at < group.size();) {
        const auto end = std::min(group.find(' ', at), group.size());
        const auto name = " " + std::string(group.substr(at, end - at)) + " ";
        if (name != own && (" " + all + " ").find(name) == std::string::npos)
          all += (all.empty() ? "" : " ") + std::string(group.substr(at, end - at));
        at = end + 1;
      }
    }
  for (auto& row : rows)
    if (const auto found = related.find(row.name); found != related.end()) row.see_also = found->second;
}

}  // namespace quill
