// The demo rig and its session's readings as tables, made by freeze.cpp, for a processor without files.
#pragma once

#include <gyrax/engine/setup.hpp>
#include <gyrax/sim/bench.hpp>

#include <span>

namespace frozen {

gyrax::Setup setup();
gyrax::sim::BenchSetup bench();
std::span<const gyrax::Reading> readings();
extern const std::int64_t period_ns, length_ns, silent_from_ns;

}  // namespace frozen
