// Files in and out, against loops by hand and the bare library.
#pragma once

void register_file_benchmarks();
