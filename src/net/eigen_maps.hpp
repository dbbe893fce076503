#pragma once

#include <Eigen/Core>
#include <cstddef>

namespace zithercraft::net_internal {

template <class Scalar>
using Vector = Eigen::Map<Eigen::Matrix<Scalar, Eigen::Dynamic, 1>>;
template <class Scalar>
using ConstVector = Eigen::Map<const Eigen::Matrix<Scalar, Eigen::Dynamic, 1>>;

inline Eigen::Index index(std::size_t n) { return static_cast<Eigen::Index>(n); }

}  // namespace zithercraft::net_internal
