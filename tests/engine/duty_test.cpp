// An axis that nothing measures may run for a time only; that is refused and said.
#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include "support/rigs.hpp"

#include <doctest/doctest.h>

using namespace gyrax;
using testing::Stand;

namespace {

/// A motor, and an actuator with end switches of its own.
std::string rig_text(const std::string& duty) {
  return test::one_axis + "[axis.belt]\nunit = \"%\"\naccel = 200\nmotor = {}\n" + duty +
         "[axis.lift]\nunit = \"mm\"\ntravel = [0, 1000]\nspeed = 20\naccel = 100\nposition = \"assumed\"\nstart = "
         "0\n" +
         "increments = [1, 500]\nincrement = 500\n" + duty + R"([bind]
"stick.left.x" = { jog = "belt" }
"stick.right.x" = { jog = "lift" }
"hat.x" = { step = "lift" }
"face.south" = { go = "lift", to = 900 }
)";
}

}  // namespace

TEST_CASE("After its longest run a motor and an actuator stop, say so, and rest; what is held has to be let go") {
  const std::string said =
      "it, or an axis of its group, has run for as long as it may, and rests; let the control go, wait until it has "
      "rested, then use it again";
  for (const char* stick : {"stick.left.x", "stick.right.x"}) {
    const std::string axis = stick == std::string("stick.left.x") ? "belt" : "lift";
    CAPTURE(axis);
    Stand s(test::rig(rig_text("duty = { max_run_s = 2, rest_s = 1 }\n")));
    s.make_live().move(stick, 0.9).run(1.9);
    CHECK(s.command(axis).v > 1);  // the first move of what nothing measures is slow
    s.run(0.6);
    CHECK(s.command(axis).v == 0);
    CHECK(s.state() == State::live);
    REQUIRE(s.count(Event::Kind::move_refused) == 1);
    for (const Event& e : s.events())
      if (e.kind == Event::Kind::move_refused)
        CHECK(say(s.rig(), e) == std::string(stick) + " did not move " + axis + ": " + said);
    CHECK(say(s.rig(), s.why(axis)) == said);
    // Neither the other way before it has rested, nor on with the stick still held afterwards.
    s.move(stick, 0).tick().move(stick, -0.9).tick(2);
    CHECK(s.command(axis).v == 0);
    s.run(2);
    CHECK(s.command(axis).v == 0);
    s.move(stick, 0).tick().move(stick, 0.9).run(0.2);
    CHECK(s.command(axis).v > 5);
  }
}

TEST_CASE("A go and a step end with it as well, and a step meanwhile is refused") {
  Stand s(test::rig(rig_text("duty = { max_run_s = 2, rest_s = 1 }\n")));
  s.make_live().press("face.south").run(2.5);
  CHECK(s.command("lift").v == 0);
  CHECK(s.command("lift").p < 45);
  s.release("face.south").tick().tap("hat.right");
  CHECK(s.count(Event::Kind::step_refused) == 1);
  s.run(1.5).tap("hat.right").run(3);
  CHECK(s.count(Event::Kind::dropped) == 1);
  CHECK(s.command("lift").v == 0);
}

TEST_CASE("Its share of time is kept") {
  Stand s(test::rig(rig_text("duty = { percent = 25, over_s = 20, rest_s = 0.5 }\n")));
  s.make_live();
  double ran = 0;
  for (int i = 0; i < 30'000; ++i) {
    if (i % 100 == 0) s.move("stick.left.x", 0);
    if (i % 100 == 1) s.move("stick.left.x", 0.9);
    s.tick();
    ran += s.command("belt").v != 0 ? 0.002 : 0;
  }
  // Of 60 s a quarter, and the stops.
  CHECK(ran > 10);
  CHECK(ran < 17);
}
