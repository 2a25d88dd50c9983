#: # A straight line through readings
#: Temperature against depth in the upper lake: the line that is nearest to all readings, from sums and a system of
#: two equations.

depth = [1, 2, 3, 4, 5, 6, 7, 8]
temperature = [18.9, 18.1, 17.5, 16.6, 16.1, 15.0, 14.6, 13.8]
n = length(depth)

normal = [n, sum(depth) | sum(depth), sum(depth^2)]
right = [sum(temperature), sum(depth * temperature)]
intercept, slope = solve(normal, right)
print("temperature = {intercept:.4f} {slope:+.4f} depth")

#: The uncertainty of both, from the residuals.
left_over = temperature - (intercept + slope * depth)
spread = sqrt(sum(left_over^2) / (n - 2))
uncertainty = spread^2 * solve(normal, identity(2))
print("intercept ± {sqrt(uncertainty[1, 1]):.4f}, slope ± {sqrt(uncertainty[2, 2]):.4f}")

#: The residuals are orthogonal to both columns.
expect near(sum(left_over), 0, absolute: 1e-10)
expect near(sum(left_over * depth), 0, absolute: 1e-10)

figure("cooling", width: 130, height: 90) {
    line([0, 9], intercept + slope * [0, 9], label: "fitted line")
    scatter(depth, temperature, label: "readings")
    x_axis("depth (m)")
    y_axis("temperature (°C)")
    legend()
}
