// Actions: what begins one, what keeps it from that, how it ends; and that it never goes on without what allowed it.
#include "../link/on_a_controller.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <string>
#include <vector>

using namespace gyrax;
using testing::Stand;

namespace {

/// A gantry on a simulated controller, with an action of each sort.
const std::string acting = test::assembled(test::on_a_controller() + R"(
[input.homed]
start = "on"
[switch.valve]
[switch.pump]
[action.home]
lines = ["G28"]
moves = ["x"]
needs = ["door"]
limit_s = 5
[action.coolant]
lines = ["M8"]
[action.unlock]
lines = ["M90"]
when = ["stowed", "tripped"]
confirm = true
[action.suck]
turns = [{ set = "valve", to = "on" }, { set = "pump", to = "on", after_s = 0.5 }]
needs = ["homed"]
until = "homed"
limit_s = 1
[action.chuck_open]
turns = [{ set = "valve", to = "off" }]
needs = ["pump"]
group = "chuck"
confirm = { within_s = 2, covers_s = 5 }
[action.chuck_close]
turns = [{ set = "valve", to = "on" }]
group = "chuck"
standing = true
confirm = { within_s = 2, covers_s = 5 }
[bind]
"face.north" = { action = "home" }
"thumb.right" = { action = "unlock" }
"face.west" = { action = "suck" }
"trigger.left" = { action = "chuck_open" }
)");

Rig acting_rig(const std::string& text = acting) {
  const std::string lines = "valve = [\"M10\", \"M11\"], pump = [\"M12\", \"M13\"], lamp =";
  return test::rig(
      test::changed(test::changed(text, "lamp =", lines), "\"thumb.right\" = { increment = \"up\" }\n", ""));
}

void set_input(Stand& s, const std::string& name, double value) {
  for (std::size_t i = 0; i < s.rig().inputs.size(); ++i)
    if (s.rig().inputs[i].name == name) s.links().set_input(id_at<InputId>(i), value);
  s.run(0.1);
}

std::string said(const Stand& s) {
  std::string all;
  for (const Event& event : s.events())
    if (event.kind == Event::Kind::action || event.kind == Event::Kind::action_refused)
      all += say(s.rig(), event) + "\n";
  return all;
}
bool says(const Stand& s, const std::string& words) { return said(s).find(words) != std::string::npos; }
std::size_t steps(const Stand& s, ActionStep step) {
  return static_cast<std::size_t>(std::ranges::count_if(s.events(), [&](const Event& event) {
    return event.kind == Event::Kind::action && event.number == static_cast<std::int64_t>(step);
  }));
}
std::optional<ActionOrder> order(const Stand& s) {
  const auto order = s.frames()[0].order;
  return order && order->cancelled ? std::nullopt : order;
}

}  // namespace

TEST_CASE("An action that its link carries out begins, blocks what it moves, and is done; then it goes on by hand") {
  Stand s(acting_rig());
  s.run(0.2).make_live();
  REQUIRE(s.state() == State::live);
  s.move("stick.left.x", 1).run(0.5).move("stick.left.x", 0).run(0.5);
  const double stood = s.command("x").p;
  s.press("face.north").tick();
  CHECK(s.stage("home") == ActionStage::running);
  REQUIRE(order(s));
  CHECK(order(s)->action == s.action_id("home"));
  CHECK(s.command("y").mode == Mode::stand);
  CHECK(s.why("y").blocked == Obstacle{.what = Interlock::action_runs, .action = s.action_id("home")});
  s.move("stick.left.x", 1).run(0.05);
  CHECK(s.command("x").v == 0);
  CHECK(say(s.rig(), s.why("x")) == "home is under way; wait until it is over, or stop it");
  s.move("stick.left.x", 0).release("face.north").run(0.4);
  CHECK(s.stage("home") == ActionStage::idle);
  CHECK_FALSE(order(s));
  CHECK(said(s) == "home begins, for 5 s at most\nhome is done\n");
  CHECK(s.state() == State::live);
  CHECK(s.command("x").p == doctest::Approx(stood).epsilon(0.001));
  s.move("stick.left.x", 1).run(0.5);
  CHECK(s.command("x").v > 100);
}

TEST_CASE("What an action moved is taken up where its link says that it is, and a following error is none meanwhile") {
  Stand s(acting_rig());
  s.run(0.2).make_live();
  s.tap("face.north");
  AxisReport axes[3];
  for (AxisReport& axis : axes) axis.measured = true;
  std::uint32_t number = 100'000;
  const InputReport inputs[] = {{InputId{0}, 1, true}, {InputId{1}, 1, true}};
  const ActionReport done[] = {{s.action_id("home"), ActionReport::Result::done, order(s)->number}};
  // Of an order before this one.
  const ActionReport old[] = {{s.action_id("home"), ActionReport::Result::done, order(s)->number - 1}};
  const auto report = [&](bool is_done) {
    LinkReport one{.link = LinkId{0}, .sequence = ++number, .measured = s.now(), .arrival = s.now(), .axes = axes};
    one.inputs = inputs;
    one.actions = is_done ? done : old;
    s.report(one).tick();
  };
  // Farther than its following error, faster than the axis, from beyond its travel.
  for (int i = 1; i <= 20; ++i) {
    axes[0].position = 50.0 * i - 400;
    axes[0].speed = 5000;
    report(false);
    CHECK(s.command("x").p == axes[0].position);
    CHECK(s.command("x").v == 0);
  }
  REQUIRE(s.state() == State::live);
  axes[0].speed = 0;
  axes[0].position = 123.456;
  report(true);
  CHECK(s.stage("home") == ActionStage::idle);
  CHECK(to_nano(s.command("x").p) == 123'456'000'000);
  s.tap("hat.right");
  for (int i = 0; i < 100; ++i) {
    axes[0].position = s.command("x").p;
    report(false);
  }
  CHECK(to_nano(s.command("x").p) == 123'466'000'000);
  CHECK(s.state() == State::live);
  // And now a following error is one again.
  axes[0].position = 200;
  report(false);
  CHECK(s.state() != State::live);
}

TEST_CASE("What is refused says what is in the way, and where that is put right it begins") {
  struct Case {
    const char* name;
    const char* action;
    void (*wrong)(Stand&);
    const char* refused;
    void (*right)(Stand&);
  };
  const auto nothing = [](Stand&) {};
  const Case cases[] = {
      {"stowed", "home", nothing, "home was refused: the zone is stowed; press menu.right",
       [](Stand& s) { s.make_live(); }},
      {"ready", "home", [](Stand& s) { s.make_ready(); }, "home was refused: enable is not held",
       [](Stand& s) { s.make_live(); }},
      {"moves", "home", [](Stand& s) { s.make_live().move("stick.left.y", 1).run(0.3); },
       "home was refused: an axis is still moving", [](Stand& s) { s.move("stick.left.y", 0).run(0.5); }},
      {"an input", "home",
       [](Stand& s) {
         s.make_live();
         set_input(s, "door", 0);
       },
       "home was refused: door is off; see what door says", [](Stand& s) { set_input(s, "door", 1); }},
      {"a switch", "chuck_open", [](Stand& s) { s.make_live(); },
       "chuck_open was refused: pump is off, and it must be on for this",
       [](Stand& s) { s.type("suck").run(0.7).type("chuck_open").run(0.1); }},
      {"another", "coolant", [](Stand& s) { s.make_live().type("home").tick(); },
       "coolant was refused: home is under way", [](Stand& s) { s.run(0.5); }},
      {"itself", "suck", [](Stand& s) { s.make_live().type("suck").tick(); }, "suck was refused: suck is under way",
       [](Stand& s) { s.run(0.7); }},
      {"its state", "unlock", [](Stand& s) { s.make_live(); },
       "unlock was refused: its zone is in a state that does not allow it",
       [](Stand& s) { s.tap("face.east").run(0.5).type("unlock").run(0.1); }},
  };
  for (const Case& one : cases) {
    CAPTURE(one.name);
    Stand s(acting_rig());
    s.run(0.2);
    one.wrong(s);
    const std::size_t before = steps(s, ActionStep::begun);
    s.type(one.action).tick();
    CAPTURE(said(s));
    CHECK(says(s, one.refused));
    CHECK(steps(s, ActionStep::begun) == before);
    one.right(s);
    const auto begun = [&] {
      return std::ranges::count_if(s.events(), [&](const Event& event) {
        return event.action == s.action_id(one.action) &&
               event == Event{.at = event.at,
                              .kind = Event::Kind::action,
                              .zone = ZoneId{0},
                              .action = event.action,
                              .number = static_cast<std::int64_t>(ActionStep::begun)};
      });
    };
    const auto so_far = begun();
    s.type(one.action).run(0.02);
    CHECK(begun() == so_far + 1);
  }
}

TEST_CASE("Turns follow each other in their time; what fails, what takes too long and what is stopped ends them") {
  Stand s(acting_rig());
  s.run(0.2).make_live();
  s.tap("face.west");
  CHECK(s.switched_on("valve"));
  s.run(0.4);
  CHECK_FALSE(s.switched_on("pump"));
  s.run(0.2);
  CHECK(s.switched_on("pump"));
  CHECK(says(s, "suck is done"));
  // What it needs it needs to the end; what it waits for does not come.
  s.type("suck").run(0.1);
  set_input(s, "homed", 0);
  CHECK(says(s, "suck was refused: homed is off"));
  CHECK(s.stage("suck") == ActionStage::idle);
  Stand waits(acting_rig(test::changed(acting, "needs = [\"homed\"]\n", "")));
  waits.run(0.2).make_live();
  set_input(waits, "homed", 0);
  waits.type("suck").run(0.98);
  CHECK(waits.stage("suck") == ActionStage::running);
  waits.run(0.04);
  CHECK(says(waits, "suck took too long, and is stopped"));
  // Stopped by its key, before its second turn.
  waits.tap("face.east").run(0.4).make_live();
  waits.type("suck").run(0.1).tap("face.east").run(0.1);
  CHECK(says(waits, "suck is stopped: stop was pressed"));
  waits.run(0.6);
  CHECK_FALSE(waits.switched_on("pump"));
}

TEST_CASE("What has to be confirmed is asked for twice within its time; a group is confirmed for a while") {
  Stand s(acting_rig());
  s.run(0.2);
  s.tap("thumb.right").run(1);
  CHECK(s.stage("unlock") == ActionStage::prepared);
  CHECK(said(s) == "unlock is prepared: ask for it once more within 3 s, and it begins\n");
  s.run(2.1);
  CHECK(says(s, "unlock is not prepared any more"));
  s.tap("thumb.right").run(0.5).tap("thumb.right").tick();
  CHECK(s.stage("unlock") == ActionStage::running);
  s.run(0.5);
  CHECK(steps(s, ActionStep::done) == 1);
  // A stop ends it where there is nothing else to stop.
  s.tap("thumb.right").run(0.1).tap("thumb.right").run(0.1);
  REQUIRE(s.stage("unlock") == ActionStage::running);
  s.tap("face.east").tick();
  CHECK(s.stage("unlock") == ActionStage::idle);
  CHECK(says(s, "unlock is stopped: stop was pressed"));
  s.run(0.3);
  // Prepared while stowed, and then another state.
  s.tap("thumb.right").make_live().run(0.1);
  CHECK(steps(s, ActionStep::lapsed) == 2);
  // One of the group, for all of it.
  s.type("suck").run(0.7);
  s.type("chuck_open").run(0.5).type("chuck_open").run(0.1);
  CHECK_FALSE(s.switched_on("valve"));
  s.type("chuck_close").run(0.1);
  CHECK(s.switched_on("valve"));
  s.run(5).type("chuck_open").run(0.1);
  CHECK(s.stage("chuck_open") == ActionStage::prepared);
  CHECK(s.switched_on("valve"));
}

TEST_CASE("Whatever hands, wires and links do: an action that began ends once, and none goes on where it may not") {
  std::size_t begun = 0;
  for (int round = 0; round < 30; ++round) {
    test::Random random(static_cast<std::uint64_t>(round));
    Stand s(acting_rig());
    s.run(0.2);
    const char* const keys[] = {"face.north",     "thumb.right", "face.west",  "menu.right",
                                "shoulder.right", "face.east",   "menu.centre"};
    const char* const names[] = {"home", "coolant", "unlock", "suck", "chuck_open", "chuck_close"};
    for (int i = 0; i < 400; ++i) {
      const char* const key = keys[random.whole(0, 6)];
      const double dice = random.in(0, 1);
      if (dice < 0.35)
        s.press(key);
      else if (dice < 0.6)
        s.release(key);
      else if (dice < 0.8)
        s.type(names[random.whole(0, 5)]);
      else if (dice < 0.85)
        s.make_live();
      else if (dice < 0.9)
        s.move("stick.left.x", random.in(-1, 1));
      else if (dice < 0.93)
        s.links().bench(LinkId{0}).silence(random.chance(0.5));
      else if (dice < 0.95)
        s.links().set_input(InputId{0}, random.chance(0.7) ? 1 : 0);
      s.run(random.in(0, 0.1));
      std::size_t orders = 0;
      for (std::size_t a = 0; a < s.rig().actions.size(); ++a) {
        const ActionSetup& action = s.rig().setup.actions[a];
        const bool runs = s.engine().action(id_at<ActionId>(a)).stage == ActionStage::running;
        if (runs) CHECK(has(action.when, s.state()));
        if (runs && action.link == LinkId{0}) ++orders;
        for (const AxisId axis : action.moves)
          if (runs) CHECK(s.engine().motion(axis).state().v == 0);
      }
      CHECK(orders == (order(s) ? 1 : 0));
    }
    s.end().run(0.6);
    std::vector<int> runs(s.rig().actions.size());
    for (const Event& event : s.events()) {
      if (event.action == no<ActionId>) continue;
      int& its = runs[index(event.action)];
      const auto step = static_cast<ActionStep>(event.number);
      const bool tells = event.kind == Event::Kind::action;
      if (tells && step == ActionStep::begun) ++its;
      if (tells && (step == ActionStep::done || step == ActionStep::timed_out || step == ActionStep::stopped)) --its;
      if (event.kind == Event::Kind::action_refused && event.number == 1) --its;
      CHECK((its == 0 || its == 1));
    }
    begun += steps(s, ActionStep::begun);
    CHECK(std::ranges::count(runs, 0) == std::ssize(runs));
    for (std::size_t a = 0; a < s.rig().actions.size(); ++a)
      CHECK(s.engine().action(id_at<ActionId>(a)).stage != ActionStage::running);
    CHECK_FALSE(order(s));
  }
  CHECK(begun > 100);
}

TEST_CASE("A lamp is on while an action is prepared, in whatever state its zone is, and no longer") {
  Stand s(acting_rig(test::changed(acting, "confirm = true", "confirm = { within_s = 3, light = \"lamp\" }")));
  s.run(0.1);
  REQUIRE(s.state() == State::stowed);
  s.tap("thumb.right").run(0.1);
  CHECK(s.stage("unlock") == ActionStage::prepared);
  CHECK(s.switched_on("lamp"));
  s.run(3.1);
  CHECK(s.stage("unlock") == ActionStage::idle);
  CHECK_FALSE(s.switched_on("lamp"));
  s.tap("thumb.right").run(0.1);
  CHECK(s.switched_on("lamp"));
  s.tap("thumb.right").tick();
  CHECK(s.stage("unlock") == ActionStage::running);
  CHECK_FALSE(s.switched_on("lamp"));
  CHECK(s.count(Event::Kind::switch_refused) == 0);
}

TEST_CASE("Refused in a zone that has tripped it says of what") {
  Stand s(acting_rig());
  s.run(0.1).make_live();
  s.links().bench(LinkId{0}).silence(true);
  s.run(1);
  REQUIRE(s.state() == State::tripped);
  s.type("home").tick();
  CHECK_MESSAGE(says(s, "home was refused: the zone has tripped: a link gave no heartbeat;"), said(s));
}
