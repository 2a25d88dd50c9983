local function rhs(t, y) return { y[2], -y[1] } end
local function axpy(y, h, k) return { y[1] + h * k[1], y[2] + h * k[2] } end
local function rk4_step(f, t, y, h)
  local k1 = f(t, y)
  local k2 = f(t + h / 2, axpy(y, h / 2, k1))
  local k3 = f(t + h / 2, axpy(y, h / 2, k2))
  local k4 = f(t + h, axpy(y, h, k3))
  local out = {}
  for i = 1, 2 do out[i] = y[i] + h / 6 * (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]) end
  return t + h, out
end
local t, y = 0, { 1, 0 }
for k = 1, 2000000 do t, y = rk4_step(rhs, t, y, 0.001) end
print(t, y[1], y[2])
