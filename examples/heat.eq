#: # The heat of Lake Velm in August
#: How much warmth the lake holds above 4 °C: the integral
#:
#: $$ Q = \rho c \int_0^{z_m} (\theta(z) - 4) \, A(z) \, dz $$
#:
#: over the depth, with the temperature $\theta(z)$ of a thermistor chain and the area $A(z)$ of the lake at each level.
#:
#: | quantity | symbol | unit |
#: |---|---|---|
#: | depth | $z$ | m |
#: | temperature | $\theta$ | °C |
#: | area | $A$ | m² |

given deepest = 38 "depth at the deepest place (m)"   # by the soundings

section "The chain"
chain = load("lake/thermistors.csv")
chain

#: One thermistor failed and is left out.
good = is_finite(chain.august)
z = chain.depth[good]
theta = chain.august[good]
expect length(z) > 10

section "The temperature between the thermistors"
temperature = interpolant(z, theta, method: "monotone", outside: "clamp")
level = 0..deepest count 200
for k in [5, 10, 20] {
    print("at {k} m: {temperature(k):.2f} °C")
}
figure("heat", width: 150, height: 90) {
    title("Lake Velm in August")
    line(level, temperature(level), label: "between them")
    scatter(z, theta, marker: "ring", label: "thermistors")
    x_axis("depth $z$ (m)")
    y_axis(`temperature $\theta$ (°C)`)
    legend("top right")
}

section "The heat"
#: The lake as a bowl: its area falls to nothing at the deepest place.
fn area(z) = 1.9e6 * (1 - (z / deepest)^2)
heat = 1000 * 4186 * integrate_samples(level, (temperature(level) - 4) * area(level))
print("{heat / 1e15:.2f} PJ above 4 °C")
expect heat > 0
