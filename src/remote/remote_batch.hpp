#pragma once

// The copies that the lanes of one environment play, wherever they are.

#include <map>
#include <memory>
#include <vector>

#include "remote/host_state.hpp"
#include "zithercraft/game/custom_batch.hpp"

namespace zithercraft::remote_internal {

/// A lane: where its copy is, what it was told last, and what is to be done.
class RemoteLane final : public CustomGame {
 public:
  enum class Standing : std::uint8_t {
    ended,     // nothing is wanted of it
    to_begin,  // it has no copy yet, or one that has not been told to begin
    playing,   // it waits for controls
    asked      // its step or its beginning has not been answered
  };

  void begin(const CustomStart&) override {}
  void step(CustomStep& step) override;
  void observe(std::size_t role, std::size_t seat, std::span<float> columns) const override;
  bool allowed(std::size_t role, std::size_t seat, std::size_t control,
               std::size_t option) const override;
  bool present(std::size_t role, std::size_t seat) const override;
  std::array<float, 3> place(std::size_t role, std::size_t seat) const override;
  void draw(std::vector<Overlay>& drawing) const override;
  void picture(std::size_t role, std::size_t seat, std::size_t number,
               std::span<std::uint8_t> pixels) const override;
  bool expert(std::size_t role, std::size_t seat, std::span<float> controls) const override;

  RemoteHost::State* host = nullptr;
  Copy copy{}, home{};  // now, and the one before
  CopyPart told{};
  Standing standing = Standing::ended;
  ::zithercraft::CopyState state = ::zithercraft::CopyState::waits;
  EpisodeKey key{};
  const std::map<std::string, double>* settings = nullptr;
  std::size_t losses = 0;  // of this episode
  bool beginning = false;  // what was asked last
  bool lost_now = false;   // in this call
  Clock::time_point asked_at{};
};

class RemoteBatch final : public CustomBatch {
 public:
  RemoteBatch(std::shared_ptr<RemoteHost::State> host, std::size_t lanes);
  ~RemoteBatch() override;

  CustomGame& game(std::size_t lane) override { return lanes_[lane]; }
  void begin(std::span<const BatchStart> starts) override;
  void step(std::span<const BatchStep> steps) override;
  void end(std::size_t lane) override;
  ::zithercraft::CopyState state(std::size_t lane) const noexcept override {
    return lanes_[lane].state;
  }

  /// With the host's lock held: gives all copies back if no call is under way. Whether there were
  /// any.
  bool yield_copies();

 private:
  struct Asked {
    RemoteLane* lane = nullptr;
    std::span<const CustomStep::Part> parts{};
  };
  // What one process is asked in a call.
  struct Exchange {
    std::shared_ptr<GameLink> link{};
    std::vector<Asked> begins{}, steps{}, awaited{};
    Clock::time_point deadline{};
    bool answered() const;
  };
  class Call;

  bool go_on(std::span<const Asked> lanes);
  void assign(std::span<const Asked> lanes, std::vector<Exchange>& exchanges);
  void send(Exchange& exchange);
  void receive(Exchange& exchange);
  void receive_answer(RemoteLane& lane);
  void receive_all(std::vector<Exchange>& exchanges);
  void receive_those_ready(std::vector<Exchange>& exchanges);
  bool settle(std::span<const Asked> lanes);
  void lose(RemoteLane& lane);
  void wait(Clock::time_point since);

  std::shared_ptr<RemoteHost::State> host_;
  std::vector<RemoteLane> lanes_;
  std::size_t calls_ = 0;  // under way; with the host's lock held
};

}  // namespace zithercraft::remote_internal
