#include "numerics/libraries.h"

#include <fftw3.h>
#include <fmt/format.h>
#include <gsl/gsl_version.h>
#include <nlopt.h>

#include "array/blas.h"

namespace quill {

std::vector<std::pair<std::string, std::string>> numerics_libraries() {
  int major = 0, minor = 0, fix = 0;
  nlopt_version(&major, &minor, &fix);
  std::string_view fftw = fftw_version;  // "fftw-3.3.10-sse2-avx"
  if (fftw.starts_with("fftw-")) fftw.remove_prefix(5);
  std::string_view blas = openblas_get_config();  // "OpenBLAS 0.3.21 NO_LAPACKE DYNAMIC_ARCH …"
  if (blas.starts_with("OpenBLAS ")) blas.remove_prefix(9);
  return {{"OpenBLAS", fmt::format("{} for {}", blas.substr(0, blas.find(' ')), openblas_get_corename())},
          {"FFTW", std::string(fftw)},
          {"GSL", gsl_version},
          {"NLopt", fmt::format("{}.{}.{}", major, minor, fix)}};
}

}  // namespace quill
