#: Bands and error bars: a fit with its uncertainty
t = [0, 6, 12, 24, 36, 48, 72, 96]
dye = [83.5, 70.2, 58.4, 40.1, 27.2, 19.5, 9.1, 4.1]
decay = fit(fn(t, p) = p[1] * exp(-p[2] * t), t, dye, start: [80, 0.03])
fine = 0..100 count 200
limits = decay.band(fine, 0.95)
figure("bands") {
    title("Dye after the release")
    band(fine, limits.lower, limits.upper, color: 1, label: "95 % band")
    line(fine, decay(fine), color: 1, label: `$c_0\,e^{-\lambda t}$`)
    error_bars(t, dye, 1 + 0.04 * dye, x_error: 1.5, color: 4, label: "samples")
    x_axis("time (h)")
    y_axis("dye (µg/L)")
    legend("top right")
}
