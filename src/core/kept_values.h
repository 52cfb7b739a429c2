// Values of groups whose rows come piece by piece, for quantiles: all of them
// while they are few, then an outline of each group, and once all rows have
// come, what lies between bounds.
#pragma once
#include <cstdint>
#include <utility>
#include <vector>

#include "group.h"
#include "scratch.h"
#include "statistics.h"
#include "values.h"

namespace neatsieve {

// An order statistic lies above one value and not above another; NaN is no
// bound.
struct value_bounds {
  double above, upto;
};

// Values thinned out: each level holds values that stand for twice as many as
// those of the level before. A full level is sorted and every second value goes
// up (Munro and Paterson 1980), which moves the rank of no value by more than
// what one value of it stands for: the sum of these is how far any rank may be
// off.
class value_outline {
 public:
  void add(double v) {
    if (levels_.empty()) levels_.emplace_back();
    std::vector<double>& first = levels_.front();
    first.push_back(v);
    ++size_;
    if (first.size() == room) thin_out(0);
  }
  std::int64_t size() const { return size_; }
  // places: rising, from 0.
  std::vector<value_bounds> bounds(const std::vector<std::int64_t>& places
  ) const;

 private:
  static constexpr std::size_t room = 1024;
  void thin_out(std::size_t level);
  std::vector<std::vector<double>> levels_;
  std::vector<bool> takes_second_;
  std::int64_t size_ = 0, off_ = 0;
};

// Values with how often each was met.
class counted_values {
 public:
  void add(double v) {
    new_.push_back(v);
    if (new_.size() >= 1024 && new_.size() >= counts_.size()) settle();
  }
  // The value at a place (from 0) among all, sorted; NaN where there are not so
  // many.
  double at(std::int64_t place);

 private:
  void settle();
  std::vector<double> new_;
  std::vector<std::pair<double, std::int64_t>> counts_;
};

// What is sought of groups in a second walk over their rows.
class sought_values {
 public:
  // bounds: by group; n: how many values each has. Bounds that overlap become
  // one.
  sought_values(
      const std::vector<std::vector<value_bounds>>& bounds,
      const std::vector<std::int64_t>& n
  );
  void add(
      const value_column& column, const grouping& g,
      const std::vector<std::int32_t>& place, const std::int32_t* rows,
      std::int64_t n
  );
  // As group_quantiles() of all values; NaN where other values came than the
  // first time.
  std::vector<double> quantiles(const std::vector<double>& probs, int type);

 private:
  struct part {
    value_bounds within;
    std::int64_t below = 0;
    counted_values values;
  };
  struct group_parts {
    std::vector<part> parts;
    std::int64_t n = 0, met = 0;
  };
  static void add_value(group_parts& group, double v);
  static double value_of(group_parts& group, std::int64_t place);
  std::vector<group_parts> groups_;
};

// Values in the order they came, in stretches that grow up to a size, so that
// more room than is used is never large.
class value_stretches {
 public:
  void add(double v) {
    if (left_ == 0) begin_stretch();
    *next_++ = v;
    --left_;
    ++size_;
  }
  std::int64_t size() const { return size_; }
  template <class Visit>
  void each(Visit visit) const {
    for (std::size_t i = 0; i < stretches_.size(); ++i) {
      const bool is_last = i + 1 == stretches_.size();
      visit(stretches_[i].get(), sizes_[i] - (is_last ? left_ : 0));
    }
  }
  void clear();

 private:
  void begin_stretch();
  std::vector<scratch<double>> stretches_;
  std::vector<std::size_t> sizes_;
  double* next_ = nullptr;
  std::size_t left_ = 0;
  std::int64_t size_ = 0;
};

class kept_values {
 public:
  // most: how many are kept before groups are outlined.
  explicit kept_values(std::int64_t most) : most_(most) {}
  // place: for each group of g its number among all groups.
  void add(
      const value_column& column, const grouping& g,
      const std::vector<std::int32_t>& place, const std::int32_t* rows,
      std::int64_t n
  );
  bool is_outlined() const { return is_outlined_; }
  // Those of so many groups, as if their rows had been there at once, where all
  // were kept.
  grouped_values together(std::int64_t groups) const;
  // Where they were not: what to seek for the quantiles.
  sought_values to_seek(
      std::int64_t groups, const std::vector<double>& probs, int type
  ) const;

 private:
  void outline_all();
  std::int64_t most_;
  bool is_outlined_ = false;
  std::vector<value_stretches> groups_;
  std::vector<value_outline> outlines_;
};

}  // namespace neatsieve
