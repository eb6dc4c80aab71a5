#!/bin/sh
# A share of a build at a time on each of some machines that have the project in the same folder, by GNU parallel over ssh:
#   examples/farm/parallel.sh ant,bee,wasp 16 && zemtak pack
# A share that fails runs once more, on whichever machine is free.
set -eu
machines=$1 shares=$2
: "${ZEMTAK_STORE:?set it to the shared store}"
seq "$shares" | parallel --sshlogin "$machines" --jobs 1 --workdir "$PWD" --retries 2 \
  --env ZEMTAK_STORE --env ZEMTAK_STORE_KEY --env PATH "zemtak pack --share {}/$shares"
