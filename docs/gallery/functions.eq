#: Functions: sampled where they bend, interrupted at poles
figure("functions") {
    line([fn(x) = tan(x), fn(x) = sin(x^2), fn(x) = sign(x - 2)], 0..2*pi,
         label: [`$\tan x$`, `$\sin x^2$`, `$\mathrm{sgn}(x - 2)$`])
    x_axis("", ticks: 0..2*pi by pi/2, tick_labels: ["0", `$\pi/2$`, `$\pi$`, `$3\pi/2$`, `$2\pi$`])
    y_axis("", limits: (-4, 4))
    legend("bottom left")
}
