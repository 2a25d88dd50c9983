#: # Explain one column by others
#: Surface temperature depends on the air, on the wind and on the basin. A regression with a category gives each influence
#: with its uncertainty; residuals and leverages show whether to believe it.
seed(9)
n = 60
basin = ["north", "south"][random_whole(1, 2, n)]
air = 8 + 14 * random(n)
wind = distribution("gamma", shape: 2, scale: 1.6).draw(n)
t = (water: 3.1 + 0.71 * air - 0.32 * wind + pick(basin == "south", 1.1, 0) + 0.5 * random_normal(n), air: air, wind: wind, basin: basin)

section "The fit"
r = regress(t, "water", ["air", "wind", "basin"])
r.terms
print("R² {r.r_squared:.3f}, residual {r.residual_std:.2f} °C, {r.degrees_of_freedom} degrees of freedom")
expect all(r.terms.p < 0.01)

section "Check"
#: Points with a large distance after Cook move the fit most: look at them before anything is concluded.
k = argmax(r.cook)
print("largest influence: row {k} (Cook {r.cook[k]:.2f}, leverage {r.leverage[k]:.2f}); residuals normal with p = {normality_test(r.residual).p:.2f}")

section "Predict"
days = (air: [12, 18], wind: [1, 6], basin: ["south", "north"])
r.predict(days)

figure("regression", columns: 2, width: 170, height: 75) {
    panel(1, 1) {
        grid = (air: 8..22 count 60, wind: 3 * ones(60), basin: repeat(["north"], 60))
        band_of = r.predict(grid)
        band(grid.air, band_of.prediction_lower, band_of.prediction_upper, color: 1, label: "95 % of new readings")
        line(grid.air, band_of.value, color: 1, label: "north, wind 3 m/s")
        is_north = t.basin == "north"
        scatter(t.air[is_north], t.water[is_north], color: 1, label: "north")
        scatter(t.air[not is_north], t.water[not is_north], color: 2, label: "south")
        x_axis("air (°C)")
        y_axis("water (°C)", limits: (3, 19.5))
        legend("bottom right")
    }
    panel(1, 2) {
        scatter(r.fitted, r.standardized)
        f = local_regression(r.fitted, r.standardized, span: 0.7)
        at = sort(r.fitted)
        line(at, f(at), color: 2, label: "local regression")
        guide(y: -2, dash: "dashed")
        guide(y: 2, dash: "dashed")
        y_axis("residual (standard deviations)", limits: (-3, 4))
        x_axis("fitted (°C)")
        legend("top left")
    }
}
