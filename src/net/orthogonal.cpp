#include "net/orthogonal.hpp"

#include <Eigen/QR>

#include "net/eigen_maps.hpp"

namespace zithercraft::net_internal {

std::vector<double> orthogonal(std::size_t rows, std::size_t columns, RandomStream& random) {
  const bool tall = rows >= columns;
  Eigen::MatrixXd normal(index(tall ? rows : columns), index(tall ? columns : rows));
  for (Eigen::Index c = 0; c < normal.cols(); ++c)
    for (Eigen::Index r = 0; r < normal.rows(); ++r)
      normal(r, c) = static_cast<double>(random.normal());
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(normal);
  Eigen::MatrixXd q = qr.householderQ() * Eigen::MatrixXd::Identity(normal.rows(), normal.cols());
  // Without this the signs would follow the algorithm rather than chance.
  for (Eigen::Index c = 0; c < q.cols(); ++c)
    if (qr.matrixQR()(c, c) < 0.0) q.col(c) = -q.col(c);
  std::vector<double> values(rows * columns);
  for (std::size_t r = 0; r < rows; ++r)
    for (std::size_t c = 0; c < columns; ++c)
      values[r * columns + c] = tall ? q(index(r), index(c)) : q(index(c), index(r));
  return values;
}

}  // namespace zithercraft::net_internal
