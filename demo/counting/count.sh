#!/bin/sh
# The same in the shell: a counter that reads its bits from a file that somebody else writes, "BITS ERRORS LOCKED" a line.
# See docs/counting.md.
counts=${COUNTS:-counts.txt}
from_bits=0
from_errors=0
read_counts() { read -r bits errors locked <"$counts"; }
while read -r request; do
    case $request in
    *'"start"'*)
        read_counts
        from_bits=$bits
        from_errors=$errors
        echo '{"counting":1,"started":true}'
        ;;
    *)
        read_counts
        echo "{\"counting\":1,\"bits\":$((bits - from_bits)),\"bit_errors\":$((errors - from_errors)),\"locked\":$locked}"
        ;;
    esac
done
