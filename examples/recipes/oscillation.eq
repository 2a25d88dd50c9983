#: # Find an oscillation in noise
#: After a storm the lake swings. The level, sampled every minute, holds a slow rise, the swing and noise: which period has the
#: swing, when is it there, and how fast does it fade?
seed(5)
minutes = 0..2879
storm = 900
swing = pick(minutes > storm, 0.05 * exp(-(minutes - storm) / 600) * sin(2*pi * (minutes - storm) / 32), 0)
level = 0.0001 * minutes + swing + 0.02 * random_normal(length(minutes))

section "Spectrum"
#: Averaged over segments, after a trend is taken off; 95 % of its values lie within the stated factor of the truth.
spectrum = power_spectrum(level, spacing: 60, segments: 12, detrend: 1)
inside = spectrum.frequency > 1 / (4 * 3600)
best = spectrum.frequency[inside][argmax(spectrum.power[inside])]
factor = distribution("chi_squared", degrees_of_freedom: spectrum.degrees_of_freedom).quantile([0.025, 0.975]) / spectrum.degrees_of_freedom
print("strongest period {1 / best / 60:.1f} min; values are uncertain by the factors {1 / factor[2]:.2f} to {1 / factor[1]:.2f}")

section "Filter and envelope"
#: A band pass forward and backward does not shift the swing in time.
clean = band_pass(level, (1 / (50 * 60), 1 / (22 * 60)), spacing: 60, order: 3)
swing_size = envelope(clean)
tops = peaks(clean, prominence: 0.02)
print("{length(tops.positions)} peaks, {median(diff(tops.positions)):.1f} min apart")
#: The fading after the storm, as a line in logarithms.
late = minutes > storm + 60 and minutes < storm + 900
fade = line_fit(minutes[late], log(swing_size[late]))
print("the swing fades to 1/e in {-1 / fade.coefficients[1] / 60:.1f} h")
expect near(-1 / fade.coefficients[1], 600, relative: 0.25)

section "When is it there?"
waves = wavelet_power(detrend(level), spacing: 1, periods: 2^(3..7.5 by 0.125))

figure("oscillation", rows: 2, width: 170, height: 110, link_x: "columns") {
    panel(1, 1) {
        line(minutes / 60, level, label: "level")
        line(minutes / 60, clean + mean(level), color: 2, label: "22 to 50 min")
        y_axis("level (m)")
        legend("top left")
    }
    panel(2, 1) {
        heatmap(minutes / 60, waves.period, log10(waves.power))
        line(minutes / 60, waves.influence, color: 2, label: "influence of the ends")
        y_axis("period (min)", scale: "log", limits: (8, 180))
        x_axis("time (h)")
        color_bar("log power")
    }
}
