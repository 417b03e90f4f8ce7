#include <gyrax/link/board.hpp>
#include <gyrax/link/controller.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/link/modbus.hpp>
#include <gyrax/link/simulated.hpp>

#include <algorithm>
#include <stdexcept>

namespace gyrax {
namespace {

/// What several links may share.
struct Wires {
  BoardWires boards;
  ModbusWires modbus;
};

struct Kind {
  const char* name;
  std::unique_ptr<Link> (*make)(const Rig& rig, LinkId link, Wires& wires);
};

std::unique_ptr<Link> simulated(const Rig& rig, LinkId link, Wires&) {
  return std::make_unique<SimulatedLink>(rig, link);
}
std::unique_ptr<Link> board(const Rig& rig, LinkId link, Wires& wires) {
  return std::make_unique<BoardLink>(rig, link, board_wire(rig.links[index(link)], wires.boards));
}
std::unique_ptr<Link> modbus(const Rig& rig, LinkId link, Wires& wires) {
  return std::make_unique<ModbusLink>(rig, link, wires.modbus);
}

std::unique_ptr<Link> controller(const Rig& rig, LinkId link, Wires&) {
  return std::make_unique<ControllerLink>(rig, link);
}

/// A line for each kind; its keys are in src/rig/link_kinds.cpp.
constexpr Kind kinds[] = {{"simulated", simulated}, {"board", board}, {"modbus", modbus}, {"controller", controller}};

std::unique_ptr<Link> made(const Rig& rig, LinkId link, Wires& wires) {
  for (const Kind& kind : kinds)
    if (rig.links[index(link)].kind == kind.name) return kind.make(rig, link, wires);
  throw std::runtime_error("no link is of the kind '" + rig.links[index(link)].kind + "'");
}

constexpr std::size_t reports_of_one = 64;

}  // namespace

RigLinks::RigLinks(const Rig& rig) {
  Wires wires;
  for (std::size_t l = 0; l < rig.links.size(); ++l) links_.push_back(made(rig, id_at<LinkId>(l), wires));
  reports_.reserve(reports_of_one * links_.size());
}

RigLinks::RigLinks(std::vector<std::unique_ptr<Link>> links) : links_(std::move(links)) {
  reports_.reserve(reports_of_one * links_.size());
}

std::optional<std::string> RigLinks::said() {
  for (const auto& link : links_)
    if (auto words = link->said()) return words;
  return std::nullopt;
}

std::span<const LinkReport> RigLinks::reports(Time now) {
  reports_.clear();
  for (const auto& link : links_) link->receive(now, reports_);
  return reports_;
}

bool RigLinks::told() const noexcept {
  return std::all_of(links_.begin(), links_.end(), [](const auto& link) { return link->told(); });
}

void RigLinks::send(std::span<const Frame> frames) {
  for (const Frame& frame : frames) links_[index(frame.link)]->send(frame);
}

}  // namespace gyrax
