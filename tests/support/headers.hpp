#pragma once

// Read once and kept in a form that compilers load quickly; see tests/CMakeLists.txt. Tests include
// what they use all the same.

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <sstream>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "support.hpp"
#include "zithercraft/zithercraft.hpp"
