/** Container images: the documents, layouts and layers of the OCI image specification. */
export * from './documents';
export * from './layout';
export * from './media';
export * from './model';
export * from './reference';
export { type ImageTree, layerPathFault, type Shadowed, stackLayers, type TreeNode, whiteoutOf } from './tree';
