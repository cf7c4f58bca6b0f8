// Network namespaces of a test's own: loopback has no broadcast, and its frames never leave the kernel.
#pragma once

#include <cstdlib>
#include <string>

// Two namespaces joined by a pair of interfaces: 10.77.0.1 (va) where the script runs, 10.77.0.2 (vb) in the
// one of the process $HOLD. `serve` is what the program is told there; it is waited for until it says that it
// serves.
inline std::string joined_networks(const std::string& serve) {
    return R"sh(set -e
trap 'kill $HOLD $SERVE 2>/dev/null' EXIT
ip link set lo up
ip link add va type veth peer name vb
unshare -n sleep 60 & HOLD=$!
for i in $(seq 100); do [ "$(readlink /proc/$HOLD/ns/net)" != "$(readlink /proc/$$/ns/net)" ] && break; sleep 0.05; done
ip link set vb netns $HOLD
ip addr add 10.77.0.1/24 brd + dev va; ip link set va up
nsenter -t $HOLD -n sh -c 'ip link set lo up; ip addr add 10.77.0.2/24 brd + dev vb; ip link set vb up'
nsenter -t $HOLD -n "$1" )sh" +
           serve + R"sh( > served.log 2>&1 & SERVE=$!
for i in $(seq 100); do grep -q serving served.log && break; sleep 0.1; done
)sh";
}

inline bool can_make_networks() {
    return std::system("unshare -n sh -c 'ip link add va type veth peer name vb' >/dev/null 2>&1") == 0;
}
