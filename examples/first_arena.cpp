// The mooring game of the demos, built in C++ and steered by a script.

#include <cmath>
#include <cstdio>
#include <span>

#include "zithercraft/zithercraft.hpp"

namespace zc = zithercraft;

zc::GameSpec mooring() {
  zc::GameSpec game{.name = "mooring", .about = "A skiff slips between moored hulls to its berth."};

  game.arena.walls = {
      {.name = "quay", .points = {{-20, -15}, {20, -15}, {20, 15}, {-20, 15}}, .closed = true}};
  game.arena.zones = {
      {.name = "berth",
       .shape = zc::Box{.length = 5, .width = 4},
       .place = {.region = {-16, -11, 16, 11}, .heading = {-180, 180}, .clearance = 0.5}}};
  game.arena.bodies = {
      {.name = "hull",
       .count = 8,
       .shape = zc::Box{.length = 5, .width = 1.8},
       .place = {.region = {-17, -12, 17, 12}, .heading = {-180, 180}, .clearance = 2.0}},
      {.name = "skiff",
       .motion = zc::Motion::free,
       .shape = zc::Capsule{.length = 2.4, .radius = 0.5},
       .mass = 300,
       .bounce = 0.2,
       .mover = zc::Boat{.thrust = 1.2, .drag_ahead = 0.4, .drag_abeam = 1.5},
       .place = {.region = {-18, -13, 18, 13}, .heading = {-180, 180}, .clearance = 2.0}}};

  zc::RoleSpec skiff{.name = "skiff"};
  skiff.senses = {
      zc::RayFan{.rays = 24, .arc = 240, .reach = 15, .sees = {"quay", "hull", "berth"}},
      zc::Compass{.to = "berth", .reach = 50}, zc::OwnMotion{.top_speed = 5, .top_turn_rate = 90}};
  skiff.controls = {zc::Dial{.name = "throttle", .low = -0.5, .high = 1},
                    zc::Dial{.name = "rudder"}};
  skiff.rewards = {{.name = "progress", .progress = zc::Progress{.to = "berth"}},
                   {.name = "moored",
                    .weight = 5,
                    .when = zc::Condition{.inside = "berth", .slower_than = 0.5},
                    .ends = zc::Verdict::success},
                   {.name = "bump",
                    .weight = -1,
                    .on = zc::EventTrigger{.with = {"hull", "quay"}, .harder_than = 0.5},
                    .ends = zc::Verdict::failure},
                   {.name = "time", .weight = -0.005, .each_step = zc::Measure::always()}};
  game.roles = {skiff};
  game.cutoffs.steps = 300;
  return game;
}

// Turns towards the berth and slows down near it; looks at nothing else.
void steer(const zc::SeatView& seat, std::span<float> controls) {
  const zc::Bearing berth = seat.nearest("berth");
  const float wanted = berth.distance < 1.5f ? 0.0f : berth.ahead > 0.5f ? 1.5f : 0.4f;
  controls[0] = 1.5f * (wanted - seat.speed());
  controls[1] = 2.0f * berth.left - 0.8f * seat.velocity().turn;
}

int main() {
  const zc::Game game(mooring());
  zc::Lanes lanes(game, 100);  // a hundred copies, side by side
  zc::WorkerPool pool;
  lanes.begin_all(pool, 1);

  int moored = 0, aground = 0, lost = 0;
  for (int running = 100; running > 0;) {
    for (std::size_t lane = 0; lane < lanes.count(); ++lane)
      steer({lanes, lane, 0, 0}, lanes.control(0, lane));
    lanes.step_all(pool);
    running = moored = aground = lost = 0;
    for (std::size_t lane = 0; lane < lanes.count(); ++lane) switch (lanes.outcome(lane)) {
        case zc::Outcome::running: ++running; break;
        case zc::Outcome::success: ++moored; break;
        case zc::Outcome::failure: ++aground; break;
        case zc::Outcome::cutoff: ++lost; break;
      }
  }
  std::printf("100 skiffs: %d moored, %d aground, %d lost\n", moored, aground, lost);
}
