#pragma once
#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/image/fields.h"

namespace zentil::image {

/// Whether the name ends as movies' names do.
bool isMovie(const std::filesystem::path& file);

/// What is known of a movie without decoding it.
struct MovieFacts {
  int width = 0, height = 0, frames = 0;
  double fps = 24;
  double pixelAspect = 1;  ///< width of a pixel over its height
  bool alpha = false;
  bool sphere = false;                   ///< it says that it is all around
  Fields fields = Fields::Whole;         ///< what it says of its frames
  double shortestMs = 0, longestMs = 0;  ///< from one frame to the next; equal for a steady rate
};

/// A movie file, open. Frames count from 0 in the order in which they are shown, and each is its own whatever was read
/// before: positions come from the packets' time stamps, and the decoder is fed from the key frame before and emptied
/// at the end (FFmpeg's libraries). Not for several threads at once.
class Movie {
 public:
  /// Looks through the file for its frames. Throws Error when it holds no video that can be decoded.
  explicit Movie(const std::filesystem::path& file);
  ~Movie();
  Movie(const Movie&) = delete;
  Movie& operator=(const Movie&) = delete;

  const MovieFacts& facts() const;
  /// Red, green, blue and alpha of a frame, 0 to 65535 as coded (range and matrix as the file says; a file that does
  /// not say is of limited range and, from 720 lines on, of BT.709's matrix, below of BT.601's: common practice, no
  /// source). Throws Error when the frame is damaged or not there: no other frame stands in for it.
  std::vector<uint16_t> read(int frame);
  /// The frame that would come next without seeking.
  int next() const;

 private:
  struct Inside;
  std::unique_ptr<Inside> in_;
};

/// Red to alpha of one frame of a movie, by movies that are kept open for all threads. Throws Error as Movie does.
struct MovieFrame {
  MovieFacts facts;
  std::vector<uint16_t> rgba;
};
MovieFrame readMovie(const std::filesystem::path& file, int frame);

/// Facts of a movie; looked through once for as long as the file stays as it is.
MovieFacts movieFacts(const std::filesystem::path& file);

/// From now on movies are decoded on the calling thread alone.
void decodeMoviesOnCallingThread();

}  // namespace zentil::image
