// Fits of published problems whose solutions are certified to many digits: the statistical reference
// datasets of the U.S. National Institute of Standards and Technology.
#include <catch2/catch.hpp>
#include <cmath>

#include "numerics/fitting.h"
#include "numerics/helpers.h"
#include "numerics/matrices.h"
#include "reference/certified.h"

using namespace quill;
using namespace quill::test;

namespace {

// How many digits the worst coefficient has right.
double digits(const Fit& fit, const std::vector<double>& certified) {
  double least = 16;
  for (std::size_t k = 0; k < certified.size(); ++k) {
    const double off = std::fabs(fit.coefficients[k] - certified[k]) / std::fabs(certified[k]);
    if (off > 0) least = std::min(least, -std::log10(off));
  }
  return least;
}

double spread(const Fit& fit) {
  return fit.residual_norm / std::sqrt(static_cast<double>(fit.degrees_of_freedom));
}

template <class F>
Model model_of(const std::vector<double>& x, F f) {
  return [x, f](std::span<const double> b) {
    std::vector<double> out;
    for (const double t : x) out.push_back(f(t, b));
    return out;
  };
}

}  // namespace

TEST_CASE("certified: Wampler 1 to 5, polynomials of degree 5 without and with large deviations") {
  const double pattern[] = {759,   -2048, 2048,  -2048, 2523,  -2048, 2048,  -2048, 1838,  -2048, 2048,
                            -2048, 1838,  -2048, 2048,  -2048, 2523,  -2048, 2048,  -2048, 759};
  std::vector<double> x, ones, tenths;
  for (int k = 0; k <= 20; ++k) {
    double one = 0, tenth = 0;
    for (int power = 0; power <= 5; ++power) {
      one += std::pow(k, power);
      tenth += std::pow(0.1 * k, power);
    }
    x.push_back(k);
    ones.push_back(one);
    tenths.push_back(tenth);
  }
  const std::vector<double> all_one(6, 1.0), powers = {1e-5, 1e-4, 1e-3, 1e-2, 1e-1, 1};
  CHECK(digits(polynomial_fit(vector(x), vector(ones), 5, {}), all_one) > 9);
  CHECK(digits(polynomial_fit(vector(x), vector(tenths), 5, {}), powers) > 12);
  for (const double size : {1.0, 100.0, 10000.0}) {
    auto y = ones;
    for (std::size_t k = 0; k < y.size(); ++k) y[k] += size * pattern[k];
    const auto fit = polynomial_fit(vector(x), vector(y), 5, {});
    CHECK(digits(fit, all_one) > 6);
    CHECK(spread(fit) == Approx(2360.14502379268 * size).epsilon(1e-10));
    // The certified error of the constant.
    CHECK(fit.standard_errors()[5] == Approx(2152.32624678170 * size).epsilon(1e-9));
  }
}

TEST_CASE("certified: Longley, six related series") {
  Array matrix(ElementType::float64, {16, 7});
  double* to = matrix.mutable_data<double>();
  const auto& y = certified::kLongleyY;
  const auto& certified = certified::kLongleyCoefficients;
  for (const auto& row : certified::kLongleyRows) {
    *to++ = 1;
    for (const double v : row) *to++ = v;
  }
  const auto fit = linear_fit(matrix, vector(y), {});
  CHECK(digits(fit, certified) > 10);
  CHECK(fit.standard_errors()[0] == Approx(890420.383607373).epsilon(1e-9));
  CHECK(fit.standard_errors()[6] == Approx(455.478499142212).epsilon(1e-9));
  CHECK(spread(fit) == Approx(304.854073561965).epsilon(1e-10));
  // As a model without knowledge of its straightness, too.
  const auto walked = model_fit(
      [&](std::span<const double> b) {
        std::vector<double> out;
        for (Index r = 0; r < 16; ++r) {
          double sum = 0;
          for (Index c = 0; c < 7; ++c) sum += b[static_cast<std::size_t>(c)] * matrix.at<double>({r, c});
          out.push_back(sum);
        }
        return out;
      },
      vector(y), std::vector<double>(7, 1.0), FitOptions{});
  CHECK(digits(walked, certified) > 10.5);
  const auto solved = solve_squares(matrix, vector(y));
  REQUIRE(solved);
  CHECK(solved->errors.at<double>({0}) == Approx(890420.383607373).epsilon(1e-9));
  const auto direct = solved->x.to_vector<double>();
  Fit as_fit;
  as_fit.coefficients = direct;
  CHECK(digits(as_fit, certified) > 10.5);
}

TEST_CASE("certified: Filip, a polynomial of degree 10 far from the origin") {
  const auto &x = certified::kFilipX, &y = certified::kFilipY;
  const auto fit = polynomial_fit(vector(x), vector(y), 10, {});
  CHECK(digits(fit, certified::kFilipCoefficients) > 6);
  CHECK(spread(fit) == Approx(0.334801051324544e-2).epsilon(1e-8));
  CHECK(fit.standard_errors()[10] == Approx(298.084530995537).epsilon(1e-6));
  CHECK(fit.condition > 1e9);
}

TEST_CASE("certified: models that are not linear in their parameters, from both published starts") {
  const auto check = [](const std::vector<double>& x, const std::vector<double>& y, auto f,
                        const std::vector<std::vector<double>>& starts, const std::vector<double>& certified,
                        const std::vector<double>& errors, double sum_of_squares) {
    for (const auto& start : starts) {
      const auto fit = model_fit(model_of(x, f), vector(y), start, FitOptions{});
      CAPTURE(start);
      CHECK(digits(fit, certified) > 6);
      CHECK(fit.residual_norm * fit.residual_norm == Approx(sum_of_squares).epsilon(1e-9));
      for (std::size_t k = 0; k < errors.size(); ++k)
        CHECK(fit.standard_errors()[k] == Approx(errors[k]).epsilon(1e-4));
    }
  };
  // Misra1a
  check(
      {77.6, 114.9, 141.1, 190.8, 239.9, 289.0, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760.0},
      {10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.40, 75.47, 81.78},
      [](double x, std::span<const double> b) { return b[0] * (1 - std::exp(-b[1] * x)); },
      {{500, 0.0001}, {250, 0.0005}}, {2.3894212918e+02, 5.5015643181e-04},
      {2.7070075241e+00, 7.2668688436e-06}, 1.2455138894e-01);
  // BoxBOD
  check(
      {1, 2, 3, 5, 7, 10}, {109, 149, 149, 191, 213, 224},
      [](double x, std::span<const double> b) { return b[0] * (1 - std::exp(-b[1] * x)); },
      {{1, 1}, {100, 0.75}}, {2.1380940889e+02, 5.4723748542e-01}, {1.2354515176e+01, 1.0455993237e-01},
      1.1680088766e+03);
  // MGH10
  {
    std::vector<double> x;
    for (int k = 50; k <= 125; k += 5) x.push_back(k);
    check(
        x,
        {34780, 28610, 23650, 19630, 16370, 13720, 11540, 9744, 8261, 7030, 6005, 5147, 4427, 3820, 3307,
         2872},
        [](double t, std::span<const double> b) { return b[0] * std::exp(b[1] / (t + b[2])); },
        {{2, 400000, 25000}, {0.02, 4000, 250}}, {5.6096364710e-03, 6.1813463463e+03, 3.4522363462e+02},
        {1.5687892471e-04, 2.3309021107e+01, 7.8486103508e-01}, 8.7945855171e+01);
  }
  // MGH17
  {
    std::vector<double> x;
    for (int k = 0; k <= 320; k += 10) x.push_back(k);
    check(
        x, {0.844, 0.908, 0.932, 0.936, 0.925, 0.908, 0.881, 0.850, 0.818, 0.784, 0.751,
            0.718, 0.685, 0.658, 0.628, 0.603, 0.580, 0.558, 0.538, 0.522, 0.506, 0.490,
            0.478, 0.467, 0.457, 0.448, 0.438, 0.431, 0.424, 0.420, 0.414, 0.411, 0.406},
        [](double t, std::span<const double> b) {
          return b[0] + b[1] * std::exp(-t * b[3]) + b[2] * std::exp(-t * b[4]);
        },
        {{50, 150, -100, 1, 2}, {0.5, 1.5, -1, 0.01, 0.02}},
        {3.7541005211e-01, 1.9358469127e+00, -1.4646871366e+00, 1.2867534640e-02, 2.2122699662e-02},
        {2.0723153551e-03, 2.2031669222e-01, 2.2175707739e-01, 4.4861358114e-04, 8.9471996575e-04},
        5.4648946975e-05);
  }
  // MGH09
  check(
      {4, 2, 1, 0.5, 0.25, 0.167, 0.125, 0.1, 0.0833, 0.0714, 0.0625},
      {0.1957, 0.1947, 0.1735, 0.1600, 0.0844, 0.0627, 0.0456, 0.0342, 0.0323, 0.0235, 0.0246},
      [](double x, std::span<const double> b) {
        return b[0] * (x * x + x * b[1]) / (x * x + x * b[2] + b[3]);
      },
      {{25, 39, 41.5, 39}, {0.25, 0.39, 0.415, 0.39}},
      {1.9280693458e-01, 1.9128232873e-01, 1.2305650693e-01, 1.3606233068e-01},
      {1.1435312227e-02, 1.9633220911e-01, 8.0842031232e-02, 9.0025542308e-02}, 3.0750560385e-04);
  // Eckerle4
  check(
      {400,   405, 410,   415, 420,   425, 430,   435, 436.5, 438, 439.5, 441,
       442.5, 444, 445.5, 447, 448.5, 450, 451.5, 453, 454.5, 456, 457.5, 459,
       460.5, 462, 463.5, 465, 470,   475, 480,   485, 490,   495, 500},
      {0.0001575, 0.0001699, 0.0002350, 0.0003102, 0.0004917, 0.0008710, 0.0017418, 0.0046400, 0.0065895,
       0.0097302, 0.0149002, 0.0237310, 0.0401683, 0.0712559, 0.1264458, 0.2073413, 0.2902366, 0.3445623,
       0.3698049, 0.3668534, 0.3106727, 0.2078154, 0.1164354, 0.0616764, 0.0337200, 0.0194023, 0.0117831,
       0.0074357, 0.0022732, 0.0008800, 0.0004579, 0.0002345, 0.0001586, 0.0001143, 0.0000710},
      [](double x, std::span<const double> b) {
        const double t = (x - b[2]) / b[1];
        return b[0] / b[1] * std::exp(-0.5 * t * t);
      },
      {{1, 10, 500}, {1.5, 5, 450}}, {1.5543827178, 4.0888321754, 4.5154121844e+02},
      {1.5408051163e-02, 4.6803020753e-02, 4.6800518816e-02}, 1.4635887487e-03);
  // Thurber
  check(
      {-3.067, -2.981, -2.921, -2.912, -2.840, -2.797, -2.702, -2.699, -2.633, -2.481, -2.363, -2.322, -1.501,
       -1.460, -1.274, -1.212, -1.100, -1.046, -0.915, -0.714, -0.566, -0.545, -0.400, -0.309, -0.109, -0.103,
       0.010,  0.119,  0.377,  0.790,  0.963,  1.006,  1.115,  1.572,  1.841,  2.047,  2.200},
      {80.574,   84.248,   87.264,   87.195,   89.076,   89.608,   89.868,   90.101,   92.405,   95.854,
       100.696,  101.060,  401.672,  390.724,  567.534,  635.316,  733.054,  759.087,  894.206,  990.785,
       1090.109, 1080.914, 1122.643, 1178.351, 1260.531, 1273.514, 1288.339, 1327.543, 1353.863, 1414.509,
       1425.208, 1421.384, 1442.962, 1464.350, 1468.705, 1447.894, 1457.628},
      [](double x, std::span<const double> b) {
        return (b[0] + x * (b[1] + x * (b[2] + x * b[3]))) / (1 + x * (b[4] + x * (b[5] + x * b[6])));
      },
      {{1000, 1000, 400, 40, 0.7, 0.3, 0.03}, {1300, 1500, 500, 75, 1, 0.4, 0.05}},
      {1.2881396800e+03, 1.4910792535e+03, 5.8323836877e+02, 7.5416644291e+01, 9.6629502864e-01,
       3.9797285797e-01, 4.9727297349e-02},
      {4.6647963344e+00, 3.9571156086e+01, 2.8698696102e+01, 5.5675370270e+00, 3.1333340687e-02,
       1.4984928198e-02, 6.5842344623e-03},
      5.6427082397e+03);
}
