#: # A table interpolated and inverted
#: The gauge at the inflow of Lake Velm: water level and discharge were measured together eight times. Between them
#: the table is interpolated, piecewise linearly and smoothly, and inverted for the level of a discharge.

level = [0.20, 0.35, 0.50, 0.70, 0.95, 1.20, 1.60, 2.00]   # m
flow = [0.4, 1.1, 2.2, 4.3, 8.1, 13.0, 23.5, 37.2]          # m³/s

#: One level, by the two methods, and many at once.
print("at 0.80 m: {interpolate(level, flow, at: 0.8):.3f} m³/s along lines,",
      "{interpolate(level, flow, at: 0.8, method: "spline"):.3f} m³/s along the spline")
asked = 0.3..1.9 by 0.2
lines = interpolate(level, flow, at: asked)
curve = interpolate(level, flow, at: asked, method: "spline")
save("flows.csv", (level: asked, lines: lines, spline: curve))

#: Inverse: the columns change their roles. The monotone curve is increasing, so it has an inverse.
f = interpolant(level, flow, method: "monotone")
g = inverse(f)
print("10 m³/s flow at {interpolate(flow, level, at: 10):.4f} m along lines and {g(10):.4f} m along the curve")
expect near(f(g(asked * 10)), asked * 10)

#: A flood above the table: the result is nan unless an option says how to continue.
flood = interpolant(level, flow, method: "spline", outside: "extend")
print("at 2.2 m, by going on beyond the table: {flood(2.2):.1f} m³/s")
print("the curve rises by {f.derivative(1.2):.2f} m³/s for each metre at 1.2 m")

fine = 0.2..2 count 200
figure("rating-curve", width: 150, height: 95) {
    title("Discharge of the inflow by its level")
    line(fine, f(fine), color: 1, label: "monotone curve")
    line(level, flow, color: "#999999", dash: "dotted", label: "lines")
    scatter(level, flow, marker: "ring", size: 5.5, color: 1, label: "measured")
    scatter(asked, curve, marker: "square", size: 3.5, color: 2, label: "interpolated")
    x_axis("level (m)", limits: (0, 2.2))
    y_axis("discharge (m³/s)", limits: (0, 40))
    legend("top left")
}
