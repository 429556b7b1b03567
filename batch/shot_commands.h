#pragma once
#include <optional>
#include <string>

#include "batch/command.h"
#include "core/edit/new_shot.h"
#include "core/output/deliver.h"

/// Commands about one shot. Each returns how it ends.
namespace zentil::batch {

/// How a command ends (README lists them).
constexpr int kDone = 0, kProblems = 1, kFailed = 2, kStopped = 3, kUsage = 64;

struct Arguments {
  std::string shot, frames, out, element, edits;
  bool json = false, decode = false, elsewhere = false, sits = false;
  output::DeliveryWish wish;
  edit::NewShotFiles files;
  size_t budgetMb = kCommandBudget >> 20;
  std::optional<double> yaw, pitch, roll, fov;
  bool asPlate = false;
  int held = 0;
  bool sphere = false;
  std::string fields;
  std::string size;
};

int info(const Arguments& a);
int check(const Arguments& a);
int editShot(const Arguments& a);
int make(const Arguments& a);
int deliver(const Arguments& a);
int slip(const Arguments& a);
int frames(const Arguments& a);
int look(const Arguments& a);

}  // namespace zentil::batch
