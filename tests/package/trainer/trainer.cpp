#include <zithercraft/zithercraft.hpp>

int main() {
  return zithercraft::Lanes(zithercraft::Game(zithercraft::parse_game(R"(
  name = "pond"
  [arena]
  zones = [{ name = "jetty" }]
  bodies = [{ name = "duck", motion = "free", mover = { kind = "boat" }, place = { region = [2, 2, 5, 5] } }]
  [[roles]]
  name = "duck"
  senses = [{ kind = "compass", to = "jetty" }]
  controls = [{ kind = "dial", name = "throttle" }]
  rewards = [{ name = "home", progress = { to = "jetty" } }]
)")),
                            4)
                     .count() == 4
             ? 0
             : 1;
}
