#: # The temperature of Lake Velm in August
#: A monotone curve through the readings of a thermistor chain, and the mean warmth above 4 °C.
lake = load("lake/thermistors.csv")                  # columns with names and units
good = is_finite(lake.august)                        # one thermistor failed
theta = interpolant(lake.depth[good], lake.august[good], method: "monotone")
heat = integrate(fn(z) = theta(z) - 4, 0.5, 36)      # value and error
print("on average {heat / 35.5:.2f} °C above 4 °C")
figure("august", width: 120, height: 80) {
    line(theta, 0.5..36, label: "interpolant")
    scatter(lake.depth, lake.august, marker: "ring", label: "thermistors")
    x_axis("depth (m)"); y_axis("temperature (°C)"); legend("top right")
}
