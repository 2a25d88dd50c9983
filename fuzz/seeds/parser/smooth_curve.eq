#: # A smooth curve through a few samples
#: Light under the surface of Lake Velm with a layer of plankton: the true curve is known here, so that the
#: gap between it and the spline can be seen closing as samples are added.

fn light(z) = exp(-0.35 * z) + 0.25 * exp(-((z - 6) / 1.1)^2)

z = 0..12 count 400
few = 0..12 count 7
more = 0..12 count 13
many = 0..12 count 25

fn gap(samples) = max(abs(interpolate(samples, light(samples), at: z, method: "spline") - light(z)))

gaps = [gap(few), gap(more), gap(many)]
print("largest gap with 7, 13 and 25 samples: {gaps:.4f}")
save("gap.csv", (samples: [7, 13, 25], gap: gaps))
expect gaps[3] < gaps[1] / 50

figure("smooth-curve", formats: ["png", "pdf"]) {
    title("Seven samples miss the plankton layer, thirteen find it")
    line(z, light(z), color: "#999999", width: 3.5, label: `true $I(z)/I_0$`)
    line(z, interpolate(few, light(few), at: z, method: "spline"), color: 2, dash: "dashed", label: "spline, 7 samples")
    line(z, interpolate(more, light(more), at: z, method: "spline"), color: 1, label: "spline, 13 samples")
    scatter(more, light(more), marker: "ring", size: 5.5, color: 1)
    scatter(few, light(few), marker: "square", size: 5, color: 2)
    grid("x y")
    x_axis("depth $z$ (m)", limits: (0, 12), ticks: 0..12 by 2)
    y_axis(`light $I / I_0$`, limits: (0, 1.1), ticks: 0..1 by 0.25)
    legend("top right")
}
