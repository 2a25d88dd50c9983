#: # Resample a polyline, and a function through its points
#: The track of the dye sampler: four turning points, walked at equal steps.

x = [0, 400, 700, 1200]
depth = [0, 30, 18, 24]

track = densify(x, depth, count: 25)
print("{length(track.x)} points, {track.x[2] - track.x[1]} m apart")
save("track.csv", track)

f = interpolant(x, depth)
print("half way down the first slope: {f(200):.2f} m")
curve = interpolant(x, depth, method: "spline")
expect same(f(x), depth)
expect near(curve(x), depth, absolute: 1e-12)
expect all(f(track.x) == track.y)

fine = 0..1200 count 241
figure("densify", width: 150, height: 95) {
    title("The sampler's track")
    line(fine, curve(fine), dash: "dashed", label: "spline")
    line(fine, f(fine), label: "straight lines")
    scatter(track.x, track.y, size: 3.5, color: 1, label: "every 50 m")
    scatter(x, depth, marker: "ring", size: 8, color: "black", label: "turning points")
    x_axis("distance (m)", ticks: 0..1200 by 200)
    y_axis("depth (m)")
    legend("bottom right")
}
