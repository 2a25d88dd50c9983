#: Mathematical text
figure("formulas", width: 190, height: 90) {
    title(`Heat of the lake: $Q = \rho c \int_0^h A(z)\,\theta(z)\,dz$`)
    line(fn(x) = x^2, 0..1, label: `$\frac{\partial\theta}{\partial t} = \kappa\,\nabla^2\theta - \vec{u}\cdot\nabla\theta$`)
    line(fn(x) = sqrt(x), 0..1, label: `$\sqrt[3]{\frac{a_1^2 + b}{\lambda}} \le \hat{x} + \bar{y}$`)
    line(fn(x) = x^3, 0..1, label: `$\sum_{k=1}^{n} k^2 = \frac{n(n+1)(2n+1)}{6}$`)
    line(fn(x) = x^4, 0..1, label: `$\left(\frac{\rho}{\rho_0}\right)^{1/2},\quad N_{\mathrm{max}} \approx 3\times10^{-4}\,\mathrm{s^{-1}}$`)
    line(fn(x) = x^5, 0..1, label: `$\mathcal{F}\{f\} \in \mathbb{C},\; \mathbf{v}^\prime \perp \mathbf{n},\; \alpha\ldots\omega$`)
    x_axis(`time $t / t_0$`)
    y_axis(`$\theta - \theta_0$ (°C)`)
    legend("outside right")
}
