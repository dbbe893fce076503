#pragma once

// The same for what reads and writes text.

#include <fmt/format.h>
#include <toml++/toml.h>

#include "standard.hpp"
