#: # Propagate errors by Monte Carlo
#: The discharge of the inflow follows from its level by a rating curve, $Q = a (h - h_0)^b$, whose three constants and the
#: level are uncertain. How uncertain is the discharge, and is a linear estimate good enough?
seed(11)
draws = 100000

#: Mean and standard uncertainty of each quantity; the constants are independent here.
fn drawn(mean, uncertainty) = mean + uncertainty * random_normal(draws)
a = drawn(9.4, 0.3)
b = drawn(1.62, 0.04)
zero = drawn(0.10, 0.02)
level = drawn(0.35, 0.02)

#: One expression for all draws.
discharge = a * max(level - zero, 0)^b
low, middle, high = quantile(discharge, [0.025, 0.5, 0.975])
print("discharge {mean(discharge):.2f} ± {std(discharge):.2f} m³/s, 95 % between {low:.2f} and {high:.2f}")

#: The linear estimate: partial derivatives times the uncertainties.
fn rating(p) = p[1] * max(p[4] - p[3], 0)^p[2]
center = [9.4, 1.62, 0.10, 0.35]
sigma = [0.3, 0.04, 0.02, 0.02]
fn slope(k) = derivative(fn(x) = rating(pick((1..4) == k, x, center)), at: center[k]).value
linear = norm([slope(k) for k in 1..4] * sigma)
print("linear estimate ± {linear:.2f} m³/s; the distribution has a skewness of {skewness(discharge):.2f}")
expect near(std(discharge), linear, relative: 0.1)

figure("error-propagation", width: 120, height: 80) {
    histogram(discharge, bins: 60, scale: "density", label: "Monte Carlo")
    x = 0..2 count 200
    line(x, exp(-(x - rating(center))^2 / (2 * linear^2)) / (linear * sqrt(2 * pi)), color: 2, label: "linear estimate")
    guide(x: low, dash: "dashed")
    guide(x: high, dash: "dashed")
    x_axis("discharge (m³/s)", limits: (0, 2))
    y_axis("density")
    legend("top right")
}
