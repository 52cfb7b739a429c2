// The distinct texts of a column as codes from 1, in the order first met.
#pragma once
#include <cstdint>
#include <memory>
#include <string_view>
#include <vector>

namespace neatsieve {

struct known_text {
  const char* from;
  std::uint32_t size;
  std::uint32_t hash;
  std::string_view view() const { return {from, size}; }
};

std::uint32_t hash_text(const char* from, std::size_t size);

// Looks texts up by their hash; keeps views of them, or copies of its own.
class text_dictionary {
 public:
  // keep: whether texts are copied; else what they point to must last.
  explicit text_dictionary(bool keep = true) : keep_(keep) {}
  // The code of a text, which is added where it is new.
  std::int32_t code(const char* from, std::size_t size) {
    return code({from, static_cast<std::uint32_t>(size), hash_text(from, size)}
    );
  }
  std::int32_t code(const known_text& text);
  const std::vector<known_text>& texts() const { return texts_; }
  void clear();

 private:
  // The first and the last eight bytes of a text stand beside its code: with
  // the size they are all of a text of up to 16 bytes, which most are, so that
  // nothing else is looked at.
  struct slot {
    std::uint64_t first, last;
    std::uint32_t size;
    std::int32_t code;  // 0 where nothing is
  };
  const char* kept(const known_text& text);
  void grow();
  bool keep_;
  std::vector<known_text> texts_;
  std::vector<slot> slots_;
  std::vector<std::unique_ptr<char[]>> pages_;
  std::size_t room_ = 0;
  char* free_ = nullptr;
};

}  // namespace neatsieve
