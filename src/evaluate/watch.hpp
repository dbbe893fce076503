#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/evaluate/behaviour.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft::evaluate_internal {

struct Seat {
  std::size_t role = 0, number = 0;
  bool operator==(const Seat&) const = default;
};

/// What was seen of the watched seats in an episode.
struct EpisodeBehaviour {
  std::vector<std::pair<std::string, double>>
      measures;                          // the same ones in every episode; not a number: not there
  std::map<std::string, double> events;  // per seat, of those that happened
  // Share of time in each square, in the mean over seats.
  std::map<std::pair<int, int>, double> places;
};

/// Watches some seats of one lane through an episode.
class Watch {
 public:
  /// `focus`: the seat to which others' distances are measured; null: to mates and rivals.
  Watch(const Game& game, std::vector<Seat> seats, const Seat* focus,
        const BehaviourOptions& options);

  void begin();
  /// At the beginning and after each step.
  void look(const Lanes& lanes, std::size_t lane);
  /// When the episode has ended.
  EpisodeBehaviour finish(const Lanes& lanes, std::size_t lane) const;

 private:
  // Seats of one role, and of those that mirror it, are counted together.
  struct Group {
    std::string prefix;
    std::vector<std::size_t> seats;  // places in the list
    std::map<std::string, double> events;
    // Of events whose strength differs: its sum, and how many there were.
    std::map<std::string, std::pair<double, double>> strengths;
  };
  struct Distance {
    double sum = 0.0, least = 0.0, looks = 0.0;
    void add(double metres);
  };
  struct Seen {
    double speed = 0.0, looks = 0.0, moves = 0.0, deaths = 0.0;
    std::optional<Pose> before{};  // of one that goes from cell to cell; none while it is away
    std::map<std::pair<int, int>, double> places, regions;
    std::vector<double> earned;  // by each way of living
    Distance first, second;      // to the focus; or to the nearest mate and the nearest rival
  };

  bool is_body(EntityId entity) const { return entity && entity.index() < watched_.size(); }
  bool is_seat(EntityId entity) const { return is_body(entity) && has_seat_[entity.index()] != 0; }
  // Place in the list; -1 for what is not watched.
  std::int32_t watched(EntityId entity) const {
    return is_body(entity) ? watched_[entity.index()] : -1;
  }
  const Role& role_of(EntityId seat) const { return game_.roles()[seat_of_[seat.index()].role]; }
  EntityId body(const Seat& seat) const { return game_.roles()[seat.role].seats[seat.number]; }
  Distance& distance_to(Seen& seen, const Seat& own, const Seat& other);
  void note_speed(Seen& seen, EntityId own, const Pose& at, const Velocity& v) const;
  void look_around(const Lanes& lanes, std::size_t lane, std::size_t i);
  void count_events(const Lanes& lanes, std::size_t lane);
  void count_for(std::int32_t seat, const std::string& event, double share = 1.0);
  void note_touch(const Event& event);
  void credit_arrival(const Event& event);
  void put_whereabouts(const Group& group, EpisodeBehaviour& behaviour) const;
  void put_ways(const Group& group, EpisodeBehaviour& behaviour) const;
  void put_rewards(const Lanes& lanes, std::size_t lane, const Group& group,
                   EpisodeBehaviour& behaviour) const;
  std::string name_of_other(const Role& own, EntityId entity) const;
  std::string name_of_zone(const Role& own, EntityId zone) const;
  std::string together_with(std::span<const Event> events, const Event& event,
                            const Role& own) const;

  Game game_;
  std::vector<Seat> seats_;
  std::vector<std::size_t> group_of_;  // each seat
  std::vector<Group> groups_;
  std::vector<Seen> seen_;              // of each seat
  std::vector<std::int32_t> watched_;   // place in the list of each body; -1 for others
  std::vector<Seat> seat_of_;           // of each body that has one
  std::vector<std::uint8_t> has_seat_;  // for each body
  // Who touches each body that nobody steers, by body; and who was the last to leave it.
  std::vector<std::vector<EntityId>> touching_;
  std::vector<EntityId> last_to_part_;
  EntityId focus_{};  // a body
  double square_;
  std::vector<WayOfLiving> ways_;
  std::optional<double> region_;
};

}  // namespace zithercraft::evaluate_internal
