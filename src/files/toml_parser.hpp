// The package's parser, as this room takes it. Private, and only for what has to see its types.
#pragma once

#include "toml_reader.hpp"

// This version of the parser asserts what a bad text can break ('[?name]') just before it reports it properly; without
// NDEBUG that aborts, and with it clang is told to rely on it. Neither is wanted here: the report is.
#undef NDEBUG
#define TOML_ASSERT(expr) static_assert(true)
#define TOML_EXCEPTIONS 1
#define TOML_HEADER_ONLY 1
#define TOML_MAX_NESTED_VALUES 16
#include <toml++/toml.h>

namespace gyrax {

inline Place place(const std::string& file, const toml::source_region& at) {
  return {file, static_cast<int>(at.begin.line), static_cast<int>(at.begin.column)};
}

}  // namespace gyrax
