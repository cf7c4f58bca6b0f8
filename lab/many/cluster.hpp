// Work shared out over a cluster: job arrays of Slurm (sbatch, squeue), each job with a share of similar
// cost.
#pragma once

#include <string>
#include <vector>

#include "lab/many/work.hpp"

namespace rt::lab {

// Shares of similar cost, by numbers of the costs: the dearest first, each to the share that has the least.
// At most `most` shares, none of them empty.
std::vector<std::vector<std::size_t>> shares_of(const std::vector<double>& costs, std::size_t most);

// What a run costs: the bytes of its folder.
double cost_of(const std::filesystem::path& run);

// A share as a file that a job is given, and back. Throws Error(input) for a file that is none.
void write_share(const std::filesystem::path& file, const WorkKind& kind, const std::vector<Work>& works);
struct Share {
    WorkKind kind;
    std::vector<Work> works;
};
Share read_share(const std::filesystem::path& file);

// Does a share: what is noted as done is not done again, so that a job may be started again. The notes are
// those of `writer`.
void do_share(const std::filesystem::path& file);

// Sends the shares in `folder`/shares to the cluster as one job array; gives its number. `options` are those
// of sbatch. Throws Error(bench) when the cluster does not take it.
std::string submit(const std::filesystem::path& folder, std::size_t shares, const std::string& options);
// How many of its jobs wait or run.
std::size_t still_there(const std::string& job);

}  // namespace rt::lab
