#include "evolve/vector_batch.hpp"

#include "zithercraft/base/pool.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

// Numbers of a network up to which weights are best read row by row.
constexpr std::size_t small = 16384;

// Any plan, by the networks that gradients train.
class PlainBatch final : public VectorBatch {
 public:
  PlainBatch(const NetworkPlan& plan, std::size_t most_networks, std::size_t most_rows,
             std::size_t workers)
      : net_(plan),
        numbers_(plain_numbers(net_)),
        room_(networks_at_a_time(most_networks, net_.parameters() + net_.prepared(), workers)),
        parameters_(room_ * net_.parameters()),
        prepared_(room_ * net_.prepared()),
        scratch_(workers) {
    for (Scratch& scratch : scratch_) {
      scratch.vector.resize(numbers_);
      scratch.room = net_.workspace(most_rows);
      scratch.outputs.resize(most_rows * net_.output_stride());
    }
  }

  std::size_t inputs() const noexcept override { return net_.plan().columns; }
  std::size_t outputs() const noexcept override { return net_.outputs(); }
  std::size_t capacity() const noexcept override { return room_; }
  std::size_t memory() const noexcept override { return net_.memory_stride(); }
  std::size_t input_stride() const noexcept override { return net_.input_stride(); }
  std::size_t output_stride() const noexcept override { return net_.output_stride(); }
  std::size_t dimension() const noexcept override { return numbers_; }

  void load(std::size_t count, const std::function<void(std::size_t, std::span<float>)>& candidate,
            WorkerPool& pool) override {
    pool.run(count, [&](std::size_t place, std::size_t worker) {
      Scratch& scratch = scratch_[worker];
      candidate(place, scratch.vector);
      vector_to_weights(net_, scratch.vector, parameters(place));
      net_.prepare(parameters(place), prepared(place));
    });
  }

  std::span<float> decide(std::span<const std::uint32_t> places, std::span<const float> inputs,
                          std::span<float> kept, std::size_t worker) override {
    Scratch& scratch = scratch_[worker];
    const std::size_t in = input_stride(), out = output_stride(), each = memory();
    for (std::size_t first = 0, stop = 0; first < places.size(); first = stop) {
      while (stop < places.size() && places[stop] == places[first]) ++stop;
      const std::size_t n = stop - first;
      const auto answers = net_.forward(
          parameters(places[first]), prepared(places[first]), inputs.subspan(first * in, n * in),
          {1, n, {}, kept.subspan(first * each, n * each)}, scratch.room);
      std::copy(answers.begin(), answers.end(),
                scratch.outputs.begin() + static_cast<std::ptrdiff_t>(first * out));
    }
    return scratch.outputs;
  }

 private:
  struct Scratch {
    std::vector<float> vector{};
    Network<float>::Workspace room{};
    std::vector<float> outputs{};
  };
  std::span<float> parameters(std::size_t place) {
    return parameters_.span().subspan(place * net_.parameters(), net_.parameters());
  }
  std::span<float> prepared(std::size_t place) {
    return prepared_.span().subspan(place * net_.prepared(), net_.prepared());
  }

  Network<float> net_;
  std::size_t numbers_, room_;
  AlignedBuffer<float> parameters_, prepared_;
  std::vector<Scratch> scratch_;
};

}  // namespace

std::unique_ptr<VectorBatch> vector_batch(const NetworkPlan& plan, std::size_t most_networks,
                                          std::size_t most_rows, std::size_t workers) {
  const bool layers_alone = plan.pictures.empty() && plan.crowds.empty() && plan.memory == 0 &&
                           plan.pointers.empty();
  if (layers_alone && plain_numbers(Network<float>(plan)) <= small)
    return small_batch(plan, most_networks, most_rows, workers);
  return std::make_unique<PlainBatch>(plan, most_networks, most_rows, workers);
}

}  // namespace zithercraft
