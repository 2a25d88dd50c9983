// LAPACK routines with one name for real and complex row-major matrices.
#pragma once

#include <complex>
#define lapack_complex_float std::complex<float>
#define lapack_complex_double std::complex<double>
#include <lapacke.h>

#include <memory>
#include <tuple>

#include "array/array.h"
#include "array/blas.h"  // one thread
#include "base/left_work.h"

namespace quill::lapack {

using Size = lapack_int;
inline constexpr int kRows = LAPACK_ROW_MAJOR;

inline Size getrf(Size m, Size n, double* a, Size* p) { return LAPACKE_dgetrf(kRows, m, n, a, n, p); }
inline Size getrf(Size m, Size n, Complex* a, Size* p) { return LAPACKE_zgetrf(kRows, m, n, a, n, p); }
inline Size getri(Size n, double* a, const Size* p) { return LAPACKE_dgetri(kRows, n, a, n, p); }
inline Size getri(Size n, Complex* a, const Size* p) { return LAPACKE_zgetri(kRows, n, a, n, p); }
inline Size potrf(Size n, double* a) { return LAPACKE_dpotrf(kRows, 'L', n, a, n); }
inline Size potrf(Size n, Complex* a) { return LAPACKE_zpotrf(kRows, 'L', n, a, n); }
inline Size geqrf(Size m, Size n, double* a, double* t) { return LAPACKE_dgeqrf(kRows, m, n, a, n, t); }
inline Size geqrf(Size m, Size n, Complex* a, Complex* t) { return LAPACKE_zgeqrf(kRows, m, n, a, n, t); }
inline Size orgqr(Size m, Size k, double* a, Size width, const double* t) {
  return LAPACKE_dorgqr(kRows, m, k, k, a, width, t);
}
inline Size orgqr(Size m, Size k, Complex* a, Size width, const Complex* t) {
  return LAPACKE_zungqr(kRows, m, k, k, a, width, t);
}
inline Size gesdd(char job, Size m, Size n, double* a, double* s, double* u, Size u_width, double* v,
                  Size v_width) {
  return LAPACKE_dgesdd(kRows, job, m, n, a, n, s, u, u_width, v, v_width);
}
inline Size gesdd(char job, Size m, Size n, Complex* a, double* s, Complex* u, Size u_width, Complex* v,
                  Size v_width) {
  return LAPACKE_zgesdd(kRows, job, m, n, a, n, s, u, u_width, v, v_width);
}
inline Size syevd(char job, Size n, double* a, double* w) {
  return LAPACKE_dsyevd(kRows, job, 'L', n, a, n, w);
}
inline Size syevd(char job, Size n, Complex* a, double* w) {
  return LAPACKE_zheevd(kRows, job, 'L', n, a, n, w);
}
inline Size gelsd(Size m, Size n, Size k, double* a, double* b, double* s, double limit, Size* rank) {
  return LAPACKE_dgelsd(kRows, m, n, k, a, n, b, k, s, limit, rank);
}
inline Size gelsd(Size m, Size n, Size k, Complex* a, Complex* b, double* s, double limit, Size* rank) {
  return LAPACKE_zgelsd(kRows, m, n, k, a, n, b, k, s, limit, rank);
}

// Runs a call that can be abandoned on an interrupt; `keep` owns the arrays behind its pointers, which must
// be obtained before. Short calls run directly.
template <class Call, class... Kept>
Size leavable(double operations, const Call& call, const Kept&... keep) {
  constexpr double longest = 1e8;  // operations, some hundredths of a second
  if (operations < longest) return call();
  const auto result = std::make_shared<Size>(0);
  run_or_leave([call, result] { *result = call(); }, std::make_shared<const std::tuple<Kept...>>(keep...));
  return *result;
}
inline double cube(Size m, Size n) { return double(m) * double(n) * double(m < n ? m : n); }

}  // namespace quill::lapack
