#pragma once

#include <Eigen/Core>
#include <cstddef>

namespace zithercraft {

// [samples][features] with contiguous samples is a column-major features x samples matrix.
template <class Scalar>
using Samples = Eigen::Map<Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic>>;
template <class Scalar>
using ConstSamples = Eigen::Map<const Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic>>;
template <class Scalar>
using Weights = Eigen::Map<Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>;
template <class Scalar>
using ConstWeights = Eigen::Map<const Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>;
template <class Scalar>
using Vector = Eigen::Map<Eigen::Matrix<Scalar, Eigen::Dynamic, 1>>;
template <class Scalar>
using ConstVector = Eigen::Map<const Eigen::Matrix<Scalar, Eigen::Dynamic, 1>>;

inline Eigen::Index index(std::size_t n) { return static_cast<Eigen::Index>(n); }

}  // namespace zithercraft
