// A zero of one's own: set where an axis stands, counted from by places that say so; travel stays the machine's.
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/rig/remembered.hpp>
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include <doctest/doctest.h>

#include <string>
#include <vector>

using namespace gyrax;
using testing::Stand;

namespace {

const std::string zeroing =
    test::assembled(test::changed(test::jog_and_step, "{ go = \"x\", to = 60 }", "{ zero = \"x\" }") + R"(
[input.x_homed]
start = "on"
[axis.y]
unit = "mm"
travel = [0, 100]
speed = 50
accel = 200
start = 50
position = "assumed"
[group.table]
axes = ["x", "y"]
path_speed = 50
[pose.corner]
from = "zero"
x = 5
y = -10
[bind]
"thumb.left".hold = [{ zero = "x", here = 25.5 }, { zero = "y" }]
"thumb.right" = { zero = "x", here = "machine" }
"trigger.left" = { go = "x", to = 10, from = "zero" }
"trigger.right" = { pose = "corner" }
)");

Rig zero_rig() {
  return test::rig(test::changed(zeroing, "increment = 0.05\n", "increment = 0.05\nhomed = \"x_homed\"\n"));
}

std::string said(const Stand& s) {
  std::string all;
  for (const Event& event : s.events())
    if (event.kind == Event::Kind::zero || event.kind == Event::Kind::zero_refused ||
        event.kind == Event::Kind::move_refused)
      all += say(s.rig(), event) + "\n";
  return all;
}

Nano at(const Stand& s, const char* axis) { return to_nano(s.command(axis).p); }
Stand& go_while_held(Stand& s, const char* key) { return s.move(key, 1).run(4).move(key, 0).run(0.2); }

}  // namespace

TEST_CASE("It is set where the axis stands, and places count from it, to the last digit") {
  Stand s(zero_rig());
  s.run(0.1).make_live();
  s.move("stick.left.x", 1).run(0.6).move("stick.left.x", 0).run(0.5);
  for (int i = 0; i < 7; ++i) s.tap("hat.right").run(0.1);
  const Nano from = at(s, "x");
  s.tap("face.west").run(0.05);
  CHECK(s.engine().zero(s.axis_id("x")) == from);
  CHECK(said(s) == "the zero of x is at " + say_amount(s.rig(), s.axis_id("x"), from) + " of the machine's\n");
  CHECK(at(s, "x") == from);
  go_while_held(s, "trigger.left");
  CHECK(at(s, "x") == from + 10'000'000'000);
  // What it reads here; both axes of a pose.
  s.press("thumb.left").run(0.7).release("thumb.left").run(0.05);
  CHECK(s.engine().zero(s.axis_id("x")) == from - 15'500'000'000);
  CHECK(s.engine().zero(s.axis_id("y")) == 50'000'000'000);
  go_while_held(s, "trigger.right");
  CHECK(at(s, "x") == from - 10'500'000'000);
  CHECK(at(s, "y") == 40'000'000'000);
  s.tap("thumb.right").run(0.05);
  CHECK(s.engine().zero(s.axis_id("x")) == 0);
  go_while_held(s, "trigger.left");
  CHECK(at(s, "x") == 10'000'000'000);
}

TEST_CASE("It is refused while the axis moves, is not homed or its zone is stowed; taking the machine's never is") {
  Stand s(zero_rig());
  s.run(0.1);
  s.tap("face.west");
  CHECK(said(s).find("setting the zero of x was refused: the zone is stowed") != std::string::npos);
  s.make_live();
  s.move("stick.left.x", 1).run(0.3).tap("face.west");
  CHECK(said(s).find("setting the zero of x was refused: an axis is still moving") != std::string::npos);
  s.move("stick.left.x", 0).run(0.5);
  s.links().set_input(InputId{0}, 0);
  s.run(0.1).tap("face.west");
  CHECK(said(s).find("setting the zero of x was refused: it is not homed") != std::string::npos);
  CHECK(s.engine().zero(s.axis_id("x")) == 0);
  s.tap("face.east").run(0.3).tap("thumb.right");
  CHECK(said(s).find("the zero of x is the machine's") != std::string::npos);
}

TEST_CASE("Wherever it is set, no place from it leaves the travel, and what it would is told") {
  for (int round = 0; round < 40; ++round) {
    test::Random random(static_cast<std::uint64_t>(round));
    Stand s(zero_rig());
    s.run(0.1).make_live();
    s.move("stick.left.x", 1).run(random.in(0, 2.2)).move("stick.left.x", 0).run(0.5);
    const Nano zero = at(s, "x");
    s.tap("face.west").run(0.05);
    const Nano goal = zero + 10'000'000'000;
    go_while_held(s, "trigger.left");
    const bool fits = goal <= 100'000'000'000;
    CHECK(at(s, "x") == (fits ? goal : zero));
    const bool told = said(s).find("from its zero that place is beyond its travel") != std::string::npos;
    CHECK(told == !fits);
    // It goes on as before.
    s.move("stick.left.x", -1).run(0.3);
    CHECK(s.command("x").v < 0);
  }
}

TEST_CASE("It is remembered, and the next run begins with it") {
  const Rig rig = zero_rig();
  CHECK(remembers(rig));
  const std::vector<Nano> zeros{12'345'678'901, 0};
  const std::string text = remembered_text(rig, {}, {}, {}, zeros);
  CHECK(text == "gyrax_remembered = 1\n\n[zero]   # one's own, counted from the machine's\n\"x\" = 12.345678901\n");
  const Rig again = with_remembered(zero_rig(), text);
  CHECK(again.setup.axes[0].zero == zeros[0]);
  CHECK(again.remarks.back() == "the zero of x is at +12.345678901 mm of the machine's, as the last run left it");
  Stand s(again);
  CHECK(s.engine().zero(s.axis_id("x")) == zeros[0]);
  CHECK(with_remembered(zero_rig(), "[zero]\nx = \"far\"\n").setup.axes[0].zero == 0);
}
