local s = 0
for k = 1, 10^7 do
  s = s + k % 7 * 0.5
end
print(s)
