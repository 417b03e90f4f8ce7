#include <gyrax/permit/permit.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <string>
#include <vector>

using namespace gyrax;

namespace {

/// The permit told again, in sentences instead of a table, as a person would explain it.
struct Model {
  State state = State::stowed;
  enum class End { ready, stowed, tripped } end = End::ready;
  bool power = false;
  int category = 2;

  void stop(End towards, int with) {
    if (state == State::stopping) {
      end = std::max(end, towards);
      category = std::min(category, with);
    } else {
      state = State::stopping;
      end = towards;
      category = with;
    }
    if (category == 0) power = false;
  }
  void event(PermitEvent e, int with) {
    const bool active = state == State::ready || state == State::live || state == State::stopping;
    switch (e) {
      case PermitEvent::make_ready:
        if (state == State::stowed) state = State::ready, power = true;
        break;
      case PermitEvent::enable:
        if (state == State::ready) state = State::live, power = true;
        break;
      case PermitEvent::release:
      case PermitEvent::squeeze:
        if (state == State::live)
          stop(End::ready, with);
        else if (state == State::stopping)
          stop(end, with);
        break;
      case PermitEvent::stow:
      case PermitEvent::stop:
        if (active) stop(End::stowed, with);
        break;
      case PermitEvent::fault:
        if (active)
          stop(End::tripped, with);
        else if (state == State::tripped)
          category = std::min(category, with);
        break;
      case PermitEvent::rest:
        if (state != State::stopping) break;
        state = end == End::ready ? State::ready : end == End::stowed ? State::stowed : State::tripped;
        if (category < 2) power = false;
        break;
      case PermitEvent::reset:
        if (state == State::tripped) state = State::stowed;
        break;
    }
  }
};

}  // namespace

TEST_CASE("From stowed to live and back, with the power that goes with it") {
  Permit p(default_categories());
  CHECK(p.state() == State::stowed);
  CHECK_FALSE(p.powered());
  CHECK_FALSE(p.apply(PermitEvent::enable, Cause::none));  // enable first does nothing
  CHECK(p.apply(PermitEvent::make_ready, Cause::none));
  CHECK(p.powered());
  CHECK(p.apply(PermitEvent::enable, Cause::none));
  CHECK(p.live());
  CHECK(p.apply(PermitEvent::release, Cause::enable_released));
  CHECK(p.stopping());
  CHECK(p.category() == Category::two);
  CHECK_FALSE(p.apply(PermitEvent::enable, Cause::none));  // not before it is at rest
  CHECK(p.apply(PermitEvent::rest, Cause::none));
  CHECK(p.state() == State::ready);
  CHECK(p.powered());
}

TEST_CASE("Category 1 takes the power at rest, category 0 at once, and the harder one wins") {
  Permit p(default_categories());
  p.apply(PermitEvent::make_ready, Cause::none);
  p.apply(PermitEvent::enable, Cause::none);
  p.apply(PermitEvent::release, Cause::enable_released);  // 2
  p.apply(PermitEvent::stop, Cause::stop_key);            // 1
  CHECK(p.category() == Category::one);
  CHECK(p.powered());
  p.apply(PermitEvent::fault, Cause::following_error);  // 0
  CHECK_FALSE(p.powered());
  CHECK(p.cause() == Cause::following_error);  // a fault explains more than a key
  p.apply(PermitEvent::fault, Cause::link_silent);
  CHECK(p.category() == Category::zero);
  p.apply(PermitEvent::rest, Cause::none);
  CHECK(p.state() == State::tripped);
  CHECK(p.apply(PermitEvent::reset, Cause::none));
  CHECK(p.state() == State::stowed);
}

TEST_CASE("Random events: the table and the explanation agree") {
  test::Random random;
  std::vector<Cause> faults;
  for (std::size_t i = 0; i < cause_count; ++i)
    if (about(static_cast<Cause>(i)).fault) faults.push_back(static_cast<Cause>(i));
  const int last = static_cast<int>(faults.size()) - 1;
  int visits[phase_count] = {};
  for (int round = 0; round < 200; ++round) {
    Permit p(default_categories());
    Model m;
    for (int i = 0; i < 300; ++i) {
      const auto e = static_cast<PermitEvent>(random.whole(0, permit_event_count - 1));
      Cause cause = Cause::none;
      if (e == PermitEvent::release) cause = Cause::enable_released;
      if (e == PermitEvent::squeeze) cause = Cause::enable_squeezed;
      if (e == PermitEvent::stow) cause = Cause::stow;
      if (e == PermitEvent::stop) cause = Cause::stop_key;
      if (e == PermitEvent::fault) cause = faults[static_cast<std::size_t>(random.whole(0, last))];
      p.apply(e, cause);
      m.event(e, static_cast<int>(about(cause).category));
      ++visits[static_cast<std::size_t>(p.phase())];
      REQUIRE(p.state() == m.state);
      REQUIRE(p.powered() == m.power);
      if (p.stopping()) REQUIRE(static_cast<int>(p.category()) == m.category);
    }
  }
  for (const int count : visits) CHECK(count > 100);  // every phase was really there
}

TEST_CASE("Every cause has a name of its own, a sentence, and a category") {
  for (std::size_t i = 0; i < cause_count; ++i) {
    const AboutCause& a = about(static_cast<Cause>(i));
    CHECK(std::string(a.name).size() > 3);
    CHECK(std::string(a.sentence).size() > 6);
    for (std::size_t j = 0; j < i; ++j) CHECK(std::string(a.name) != about(static_cast<Cause>(j)).name);
    CHECK(default_categories()[i] == a.category);
  }
  // What a hand lets go of keeps the power; what cannot be steered any more loses it at once; the rest stops first.
  CHECK(about(Cause::enable_released).category == Category::two);
  CHECK(about(Cause::following_error).category == Category::zero);
  for (const Cause cause : {Cause::stop_key, Cause::stow, Cause::handset_gone, Cause::link_silent, Cause::tick_late})
    CHECK(about(cause).category == Category::one);
  for (const Cause cause : {Cause::enable_released, Cause::enable_squeezed, Cause::stop_key, Cause::stow})
    CHECK_FALSE(about(cause).fault);
}
