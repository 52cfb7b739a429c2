#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
// Arithmetic, and functions of one number.
#include "ops.h"

#include <algorithm>

#include "versions.h"

namespace neatsieve {

namespace {

// Rounds to the nearer of the two neighbours with `digits` decimals, a tie to
// the even one; the neighbours are compared as stored, so 0.15 goes where its
// binary value lies.
double round_to(double v, int digits) {
  if (nan(v) || std::isinf(v)) return v;
  if (digits == 0) return std::nearbyint(v);
  if (digits > 308 || v == 0.0) return v;
  const double magnitude = std::ceil(std::log10(std::fabs(v)));
  if (digits + magnitude > 15) return v;
  if (digits < -308) return 0.0;
  const bool negative = v < 0;
  const double w = std::fabs(v);
  const double p = std::pow(10.0, std::abs(digits));
  const double scaled = digits > 0 ? w * p : w / p;
  const double lo = std::floor(scaled), hi = std::ceil(scaled);
  const double down = digits > 0 ? lo / p : lo * p,
               up = digits > 0 ? hi / p : hi * p;
  const double below = w - down, above = up - w;
  const double r =
      (below < above || (below == above && std::fmod(lo, 2.0) == 0.0)) ? down
                                                                       : up;
  return negative ? -r : r;
}

// x - floor(x / y) * y, exact where fmod is; the sign follows the divisor.
double modulo(double x, double y) {
  if (nan(x) || nan(y) || y == 0.0 || std::isinf(x)) return absent_double();
  if (std::isinf(y)) return (x == 0 || (x > 0) == (y > 0)) ? x : y;
  double r = std::fmod(x, y);
  if (r != 0.0 && (r < 0) != (y < 0)) r += y;
  return r;
}

double whole_divide(double x, double y) {
  if (nan(x) || nan(y)) return absent_double();
  // A finite number less than nothing goes into infinity once, downwards, as
  // floor() says.
  if (std::isinf(y) && !std::isinf(x))
    return x == 0.0 || (x > 0) == (y > 0) ? 0.0 : -1.0;
  if (y == 0.0) return absent_double();
  if (std::isinf(x) || std::isinf(y)) return std::floor(x / y);
  const double r = modulo(x, y);
  return std::nearbyint((x - r) / y);
}

}  // namespace

NEATSIEVE_VERSIONS
void run_arithmetic(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  double* to = numbers_to(in, w);
  switch (in.what) {
    case op::add:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return a + b;
      });
      break;
    case op::subtract:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return a - b;
      });
      break;
    case op::multiply:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return a * b;
      });
      break;
    case op::divide:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return a / b;
      });
      break;
    case op::power:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        if (nan(a) || nan(b)) return absent_double();
        // As for a finite negative number: no root of an infinite one.
        if (a == -INFINITY && std::floor(b) != b) return absent_double();
        return b == 2.0 ? a * a : std::pow(a, b);
      });
      break;
    case op::modulo:
      each2(num(in.a), num(in.b), to, n, modulo);
      break;
    case op::whole_divide:
      each2(num(in.a), num(in.b), to, n, whole_divide);
      break;
    case op::log_base:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return (a < 0 || b < 0) ? absent_double()
               : b == 10        ? std::log10(a)
               : b == 2         ? std::log2(a)
                                : std::log(a) / std::log(b);
      });
      break;
    case op::smaller:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return nan(a) ? a : nan(b) ? b : b < a ? b : a;
      });
      break;
    case op::larger:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return nan(a) ? a : nan(b) ? b : b > a ? b : a;
      });
      break;
    case op::add_present:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return nan(a) ? b : nan(b) ? a : a + b;
      });
      break;
    case op::min_present:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return nan(a) ? b : nan(b) ? a : (b < a ? b : a);
      });
      break;
    case op::max_present:
      each2(num(in.a), num(in.b), to, n, [](double a, double b) {
        return nan(a) ? b : nan(b) ? a : (b > a ? b : a);
      });
      break;
    default:
      break;
  }
}

NEATSIEVE_VERSIONS
void run_math(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  double* to = numbers_to(in, w);
  switch (in.what) {
    case op::negate:
      each1(num(in.a), to, n, [](double a) { return -a; });
      break;
    case op::abs:
      each1(num(in.a), to, n, [](double a) { return std::fabs(a); });
      break;
    case op::sqrt:
      each1(num(in.a), to, n, [](double a) {
        return a < 0 ? absent_double() : std::sqrt(a);
      });
      break;
    case op::exp:
      each1(num(in.a), to, n, [](double a) { return std::exp(a); });
      break;
    case op::log:
      each1(num(in.a), to, n, [](double a) {
        return a < 0 ? absent_double() : std::log(a);
      });
      break;
    case op::log2:
      each1(num(in.a), to, n, [](double a) {
        return a < 0 ? absent_double() : std::log2(a);
      });
      break;
    case op::log10:
      each1(num(in.a), to, n, [](double a) {
        return a < 0 ? absent_double() : std::log10(a);
      });
      break;
    case op::log1p:
      each1(num(in.a), to, n, [](double a) {
        return a < -1 ? absent_double() : std::log1p(a);
      });
      break;
    case op::expm1:
      each1(num(in.a), to, n, [](double a) { return std::expm1(a); });
      break;
    case op::round: {
      const int digits = static_cast<int>(in.x);
      each1(num(in.a), to, n, [digits](double a) {
        return round_to(a, digits);
      });
      break;
    }
    case op::floor:
      each1(num(in.a), to, n, [](double a) { return std::floor(a); });
      break;
    case op::ceiling:
      each1(num(in.a), to, n, [](double a) { return std::ceil(a); });
      break;
    case op::trunc:
      each1(num(in.a), to, n, [](double a) { return std::trunc(a); });
      break;
    case op::sign:
      each1(num(in.a), to, n, [](double a) {
        return nan(a) ? a : static_cast<double>((a > 0) - (a < 0));
      });
      break;
    case op::whole_of:
      each1(num(in.a), to, n, [](double a) {
        return std::isinf(a) ? absent_double() : std::trunc(a);
      });
      break;
    default:
      break;
  }
}

}  // namespace neatsieve
