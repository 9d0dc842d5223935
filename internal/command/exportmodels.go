package command

import (
	"github.com/spf13/cobra"

	"ropeswing/core/forward"
	"ropeswing/core/network"
	"ropeswing/core/workspace"
	"ropeswing/internal/wire"
)

// exportModels puts devices out as data of the standard models.
func (a *app) exportModels() *cobra.Command {
	asXML := false
	cmd := a.exported("models [DEVICE…]", "Data of the standard models (RFC 8343, 8344, 8349)", "FOLDER",
		func(w *workspace.Numbers, args []string) ([]output, error) {
			devices, err := devicesNamed(w.Who, args)
			if err != nil {
				return nil, err
			}
			net := forward.Resolve(network.Build(w.Spec).State())
			ending := ".json"
			if asXML {
				ending = ".xml"
			}
			var all []output
			for _, d := range devices {
				text, err := wire.Models(net, d, asXML)
				if err != nil {
					return nil, err
				}
				all = append(all, output{w.Spec.Devices[d].Name + ending, text})
			}
			return all, nil
		})
	cmd.Long = "Interfaces, addresses and routes as planned, and in the state that is predicted,\n" +
		"as RFC 7951 JSON, or with --xml as a NETCONF server would give them. 'observe'\n" +
		"reads them again."
	cmd.Flags().BoolVar(&asXML, "xml", false, "XML instead of JSON")
	return cmd
}
